"""What sounds alongside a kit is bounced with it, or left out; and leaves as a package that plays alike."""

import tempfile
import zlib
from importlib import import_module
from pathlib import Path

import numpy as np
import orjson
import soundfile
from django.apps import apps

from dactyl.bounces import edits as bounces
from dactyl.bounces import store
from dactyl.bounces.tasks import make_bounce
from dactyl.core.bounce.order import BounceOrder
from dactyl.core.bounce.source import open_played
from dactyl.core.formats.lineup import portable_lineup
from dactyl.core.formats.values import to_json
from dactyl.core.parts.part import Event
from dactyl.core.parts.part import Part as PartValue
from dactyl.kits.alongside import is_lineup
from dactyl.kits.models import Kit
from dactyl.lineups.edits import keep_as_lineup
from dactyl.lineups.models import Alongside
from dactyl.lineups.queries import rows_of
from dactyl.lineups.tests.test_lineups import AlongsideCase
from dactyl.parts.edits import add_part


class BouncedTogether(AlongsideCase):
    def test_a_bounce_of_before_opens_again(self):
        """Its lineup told pieces by name, and they had no ids."""
        row = self.alongside()
        self.post(f"{row.pk}/pieces/", value=str(self.piece))
        part = add_part(
            PartValue(name="P", ticks_per_beat=480, tempos=((0, 500_000),), events=(Event(0, 38, 9),), end_tick=960)
        )
        kit = Kit.objects.get(pk=self.kit.pk)
        made = bounces.begin_bounce(kit, part, BounceOrder(bits="24"), rate_hz=48_000, with_alongside=True)
        now = bounces.read_lineup(made)
        told = to_json(now)
        (only,) = (piece for piece in told["members"][1]["kit"]["pieces"] if piece["id"] == self.piece)
        for piece in (piece for member in told["members"] for piece in member["kit"]["pieces"]):
            del piece["id"]
        told["members"][1]["pieces"] = [only["name"]]
        type(made).objects.filter(pk=made.pk).update(lineup_snapshot=zlib.compress(orjson.dumps(told), 1))
        import_module("dactyl.bounces.migrations.0010_lineups_by_ids").by_ids(apps, None)
        made.refresh_from_db()
        self.assertEqual(portable_lineup(bounces.read_lineup(made)), portable_lineup(now))

    def test_it_leaves_as_a_package_and_is_bounced_with_the_kit_or_without(self):
        row = self.alongside()
        self.post(f"{row.pk}/delay_ms/", value="10")
        events = (Event(0, 38, 127), Event(480, 38, 60))
        part = add_part(PartValue(name="Pier", ticks_per_beat=480, tempos=((0, 500_000),), events=events, end_tick=960))
        page = self.client.get(f"/bounces/of/{self.kit.pk}/?part={part.pk}").content.decode()
        self.assertIn("without what sounds alongside (Under)", page)
        told = self.client.post(f"/bounces/of/{self.kit.pk}/check/", {"part": part.pk, "by": "member"}).content.decode()
        self.assertIn("2 stems (Test kit, Under)", told)
        stems = {}
        for alone in (False, True):
            made = bounces.begin_bounce(
                Kit.objects.get(pk=self.kit.pk),
                part,
                BounceOrder(bits="32f", by="piece"),
                rate_hz=48_000,
                with_alongside=not alone,
            )
            list(make_bounce(made.pk))
            made.refresh_from_db()
            folder = store.folder_of(made)
            stems[alone] = {
                stem.name: soundfile.read(folder / stem.file, always_2d=True)[0] for stem in made.stems.all()
            }
            self.assertEqual(made.report.get("alongside"), None if alone else ["Under"])
            self.assertTrue(made.report.get("sum_test", {"is_passed": True})["is_passed"])
        own, under = (name for name in stems[False] if name != "Mix")
        self.assertTrue(own.endswith(" 1") and under.endswith(" 2"), stems[False].keys())
        alone = stems[True]["Mix"]
        np.testing.assert_allclose(stems[False][own][: len(alone)], alone, atol=1e-6)
        first = [int(np.argmax(np.abs(stem).max(axis=1) > 1e-4)) for stem in (stems[False][own], stems[False][under])]
        self.assertAlmostEqual(first[1] - first[0], 480, delta=60)
        answer = self.client.get(f"/kits/{self.kit.pk}/alongside/package/")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "Lineup.zip"
            path.write_bytes(b"".join(answer.streaming_content))
            with open_played(path) as source:
                source.check(skip_bad=False)
                self.assertEqual([member.kit.name for member in source.package.lineup.members], ["Test kit", "Under"])
                self.assertEqual(source.package.lineup.members[1].notes, ((38, 70),))
                self.assertEqual(len(source.package.samples), 6, "each once")
        lineup = keep_as_lineup(self.kit)
        made = bounces.begin_bounce(
            lineup, part, BounceOrder(bits="32f", by="piece"), rate_hz=48_000, with_alongside=False
        )
        list(make_bounce(made.pk))
        files = {stem.name: store.folder_of(made) / stem.file for stem in made.stems.all()}
        same = {
            name: np.array_equal(soundfile.read(file, always_2d=True)[0], stems[False][name])
            for name, file in files.items()
        }
        self.assertEqual(
            same, dict.fromkeys(stems[False], True), "a lineup is bounced as the kit with what was alongside"
        )
        again = bounces.bring_back(made)
        self.assertTrue(is_lineup(again))
        self.assertEqual([row.delay_ms for row in rows_of(again)], [0.0, 10.0])
        Alongside.objects.all().delete()
        self.assertEqual(self.client.get(f"/kits/{self.kit.pk}/alongside/package/").status_code, 422)
