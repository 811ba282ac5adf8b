from django.apps import AppConfig


class BouncesConfig(AppConfig):
    name = "dactyl.bounces"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        from django.db.models.signals import post_delete

        from dactyl.bounces import store
        from dactyl.bounces.edits import used_samples
        from dactyl.bounces.models import Bounce
        from dactyl.checks import queries as checks
        from dactyl.kits.edits import kits, shelf

        shelf.ALSO_USED.append(used_samples)
        kits.DEPENDENTS.append(lambda kit: (kit.bounces.count(), "bounce"))
        checks.PLAYED_PARTS.append(
            lambda kit: Bounce.objects.filter(kit=kit, part__isnull=False).values_list("part", flat=True)
        )
        post_delete.connect(store.forget_of, sender=Bounce)
