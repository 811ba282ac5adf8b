from django.apps import AppConfig


class LineupsConfig(AppConfig):
    name = "dactyl.lineups"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from dactyl.desk import picture as desk_picture
        from dactyl.history.tables import register
        from dactyl.kit_files import tasks
        from dactyl.kits.edits import beside, kits
        from dactyl.lineups import desk, edits, queries
        from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput, Link, SharedChoke
        from dactyl.parts import views as parts
        from dactyl.playing import tables as playing
        from dactyl.versions import edits as versions

        register(
            {
                "alongside": Alongside,
                "alongside_link": Link,
                "alongside_choke": SharedChoke,
                "alongside_group": LineupGroup,
                "alongside_output": LineupOutput,
            },
            {
                Alongside: [
                    (LineupOutput, "one"),
                    *((model, column) for model in (Link, SharedChoke) for column in ("one", "other")),
                ]
            },
        )
        desk_picture.KITS_BESIDE.append(desk.beside)
        desk_picture.OF_SEVERAL.append(desk.strips)
        tasks.TOGETHER.append(edits.put_together)
        parts.NAMERS["kit"] = queries.whose
        beside.BESIDE["alongside"] = beside.Beside(
            edits.kept_in_version, edits.put_back, edits.copy_alongside, edits.compared
        )
        playing.OTHERS.append(queries.ensemble_of)
        playing.CROSSING.append(queries.crossing_of)
        versions.PLAYED_BY.append(
            lambda version: Alongside.objects.filter(version=version.pk).values_list("kit__name", flat=True)
        )
        kits.DEPENDENTS.append(
            lambda kit: (Alongside.objects.filter(other=kit).count(), "kit that it sounds alongside")
        )
