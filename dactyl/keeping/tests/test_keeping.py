"""Starting on a data folder that is not as it was left, copies of the database, and a store that was damaged by hand."""

import os
import sqlite3
import subprocess
import sys
import tempfile
from contextlib import closing
from io import StringIO
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase, TestCase, override_settings
from waitress.adjustments import Adjustments

from dactyl.core.errors import AudioError, KitError
from dactyl.keeping import check_store, database
from dactyl.keeping.lock import hold_folder
from dactyl.keeping.management.commands import serve
from dactyl.keeping.refusals import Parser
from dactyl.shelf import edits as shelf_edits
from dactyl.shelf import store
from dactyl.shelf.models import Import, Sample
from dactyl.shelf.tests.sounds import shelf_of


class Starting(SimpleTestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(prefix="dactyl-keeping-")
        self.addCleanup(folder.cleanup)
        self.data = Path(folder.name)
        self.base = self.data / "dactyl.sqlite3"

    def manage(self, *command: str, **environment: str) -> subprocess.CompletedProcess:
        told = os.environ | {"DACTYL_DATA": str(self.data)} | environment
        return subprocess.run([sys.executable, "manage.py", *command], cwd=settings.ROOT, env=told, capture_output=True, text=True, timeout=60)  # fmt: skip

    def refused(self, *command: str, **environment: str) -> str:
        """The one line with which a command refuses."""
        ended = self.manage(*command, **environment)
        self.assertNotEqual(ended.returncode, 0)
        self.assertNotIn("Traceback", ended.stderr)
        return ended.stderr.strip().splitlines()[-1]

    def test_a_value_that_can_not_be_is_named_with_what_is_allowed(self):
        for name, value, allowed in (
            ("DACTYL_RATE", "abc", "8,000 to 192,000"),
            ("DACTYL_MIDDLE_C", "99", "3 to 5"),
            ("DACTYL_WORKERS", "many", "embedded or external"),
        ):
            with self.subTest(name):
                said = self.refused("serve", **{name: value})
                self.assertIn(f"{name} is “{value}”", said)
                self.assertIn(allowed, said)
        self.assertIn("can't be used", self.refused("serve", DACTYL_DATA="/proc/nowhere"))
        self.assertIn("Port 70000 is none", self.refused("serve", "--port", "70000"))

    def test_a_database_that_can_not_be_used_is_said_and_left_as_it_is(self):
        self.assertEqual(self.manage("prepare").returncode, 0)
        self.assertEqual((self.data.stat().st_mode & 0o777, self.base.stat().st_mode & 0o777), (0o700, 0o600))
        copied = self.data / "copies" / "2026-01-02-030405.sqlite3"
        copied.parent.mkdir()
        whole = self.base.read_bytes()
        copied.write_bytes(whole)
        self.base.write_bytes(whole[:20_000] + b"\7" * 4096 + whole[24_096:])
        damaged = self.base.read_bytes()
        for command in ("prepare", "serve"):
            self.assertIn("is damaged", self.refused(command))
        self.assertEqual(self.base.read_bytes(), damaged)
        self.assertIn(copied.name, self.manage("restore").stdout)
        self.assertIn("is the database now", self.manage("restore", "latest").stdout)
        self.assertEqual([path.read_bytes() for path in copied.parent.glob("*.replaced")], [damaged])
        self.assertIn("0 findings", self.manage("check_store").stdout)
        with closing(sqlite3.connect(self.base)) as base:
            base.execute(
                "INSERT INTO django_migrations (app, name, applied) VALUES ('kits', '9999_later', '2030-01-01')"
            )
            base.commit()
        self.assertIn("newer Dactyl (kits 9999_later)", self.refused("serve"))
        self.base.unlink()
        sample = self.data / "samples" / "ab" / "ab12"
        sample.parent.mkdir(parents=True)
        sample.write_bytes(b"sound")
        self.assertIn("missing or empty", self.refused("prepare"))
        self.assertFalse(self.base.exists())

    def test_copies_are_made_daily_and_seven_are_kept(self):
        self.manage("prepare")
        with override_settings(DATA=self.data), patch.object(database, "database_path", lambda: self.base):
            folder = self.data / "copies"
            folder.mkdir()
            for day in range(1, 10):
                (folder / f"2020-01-0{day}-120000.sqlite3").write_bytes(self.base.read_bytes())
            kept = folder / "2020-01-01-000000-before.sqlite3"
            kept.touch()
            made = database.copy_daily()
            self.assertIsNone(database.copy_daily(), "once a day")
            found = database.copies()
            self.assertEqual((len(found), found[0], found[-1]), (database.COPIES_KEPT + 1, made, kept))
            database.check(made)

    def test_a_copy_is_taken_back_only_once_it_stands_whole_beside_the_database(self):
        self.manage("prepare")
        with override_settings(DATA=self.data), patch.object(database, "database_path", lambda: self.base):
            copied, before = database.copy_now(), self.base.read_bytes()
            for broken in ("fsync", "link"):
                with (
                    self.subTest(broken),
                    patch.object(database.os, broken, side_effect=OSError(28, "No space left on device")),
                    self.assertRaisesRegex(KitError, "can't be taken back .No space left"),
                ):
                    database.restore(copied)
                self.assertEqual(self.base.read_bytes(), before)
                self.assertEqual(sorted(path.name for path in self.data.glob("*.part")), [])
            kept = database.restore(copied)
            self.assertEqual(kept.read_bytes(), before)
            self.assertEqual([path.name for path in copied.parent.glob(f"{copied.name}*")], [copied.name])

    def test_a_server_that_has_the_folder_is_named_to_whoever_prepares(self):
        self.manage("prepare")
        with override_settings(DATA=self.data), hold_folder("on port 8123 serves"):
            said = self.refused("prepare")
        self.assertIn(f"Process {os.getpid()} on port 8123 serves {self.data}", said)

    def test_a_full_disk_lets_it_serve_and_one_failed_copy_ends_none_after_it(self):
        with patch.object(database, "copy_daily", side_effect=OSError(28, "No space left on device")) as copied:
            out = StringIO()
            command = serve.Command(stdout=out)
            with patch.object(database, "check"), patch.object(database, "is_behind", return_value=False):
                command._check_database()
            self.assertIn("can't be made ([Errno 28] No space left on device). Make room", out.getvalue())
            with self.assertLogs("dactyl.keeping", "ERROR"):
                serve._look(copied)
                serve._look(copied)

    def test_times_are_the_machines_whatever_form_its_zone_is_told_in(self):
        moment = "datetime(2026, 7, 1, 12, tzinfo=UTC).astimezone(MachineTime())"
        code = f"import django; django.setup(); from datetime import *; from dactyl.web.machine_time import MachineTime; print({moment}, datetime(2026, 7, 1, 12).astimezone())"
        for zone, wanted in (
            ("CET-1CEST,M3.5.0,M10.5.0/3", "14:00:00+02:00"),
            ("Asia/Tokyo", "21:00:00+09:00"),
            ("Not/AZone", "12:00:00+00:00"),
        ):
            told = os.environ | {
                "DACTYL_DATA": str(self.data),
                "TZ": zone,
                "DJANGO_SETTINGS_MODULE": "dactyl.site.settings",
            }
            ended = subprocess.run(
                [sys.executable, "-c", code], env=told, cwd=settings.ROOT, capture_output=True, text=True, timeout=60
            )
            self.assertIn(f"2026-07-01 {wanted}", ended.stdout, ended.stderr)


class Damage(TestCase):
    def setUp(self):
        self.cut, self.gone, self.other, self.good = shelf_of([-6.0, -12.0, -18.0, -24.0])

    def path(self, sample: Sample) -> Path:
        return store.sample_path(sample.sha256)

    def test_damage_is_found_marked_refused_and_mended_by_bringing_the_file_in_again(self):
        whole = {sample.pk: self.path(sample).read_bytes() for sample in (self.cut, self.gone, self.other)}
        self.path(self.cut).write_bytes(whole[self.cut.pk][:100])
        self.path(self.gone).unlink()
        self.path(self.other).write_bytes(whole[self.other.pk][:-1] + b"\1")
        self.assertEqual(len(list(check_store.check_sizes())), 2)
        self.assertEqual(len(list(check_store.check_contents())), 3)
        marks = dict(Sample.objects.values_list("pk", "damage"))
        self.assertEqual(marks, {self.cut.pk: shelf_edits.CUT, self.gone.pk: shelf_edits.GONE, self.other.pk: shelf_edits.OTHER, self.good.pk: ""})  # fmt: skip
        page = self.client.get("/shelf/samples/?which=damaged").content.decode()
        self.assertEqual(page.count('role="option"'), 3)
        for sample in (self.cut, self.gone, self.other):
            with self.assertRaisesRegex(AudioError, "Bring it in again"):
                store.whole_path(sample.sha256)
            with tempfile.NamedTemporaryFile(suffix=".wav") as file:
                file.write(whole[sample.pk])
                file.flush()
                shelf_edits.take_in(Path(file.name), sample.name, sample.folder)
            self.assertEqual(store.whole_path(sample.sha256).read_bytes(), whole[sample.pk])
        self.assertEqual((list(check_store.check_contents()), Sample.objects.exclude(damage="").count()), ([], 0))

    def test_what_kills_left_behind_is_swept_and_what_is_waited_for_stays(self):
        for name in ("left", "waited-for"):
            (store.incoming_folder() / name).write_bytes(b"x")
        (store.incoming_folder() / "unpacked").mkdir(exist_ok=True)
        self.addCleanup(store.forget_incoming, "waited-for")  # other tests look into this folder too
        waiting = Import.objects.create().files.create(name="a.wav", stored_as="waited-for")
        store.sweep()
        waiting.delete()
        self.assertEqual([path.name for path in store.incoming_folder().iterdir()], ["waited-for"])

    def test_restoring_a_copy_that_is_not_there_is_said(self):
        with self.assertRaisesMessage(CommandError, "There is no copy “yesterday”"):
            call_command("restore", "yesterday", stdout=StringIO())


class Refusing(SimpleTestCase):
    """What the web server refuses before the site is asked."""

    def sent(self, length: int) -> Parser:
        parser = Parser(Adjustments(max_request_body_size=1_000_000_000))
        self.addCleanup(parser.close)
        parser.received(b"POST /shelf/ HTTP/1.1\r\nHost: here\r\nContent-Length: %d\r\n\r\n" % length)
        return parser

    def test_a_body_over_the_limit_and_one_without_room_end_in_a_sentence(self):
        status, _, words = self.sent(2_000_000_000).error.to_response()
        self.assertEqual(
            (status[:3], words), ("413", b"What was sent is larger than 1 GB. Bring it in in several parts.")
        )
        parser = self.sent(500)
        with patch.object(parser.body_rcv, "received", side_effect=OSError(28, "No space left on device")):
            self.assertEqual(parser.received(b"x" * 100), 100)
            self.assertFalse(parser.completed, "what is still sent is read, so that the answer is heard")
            self.assertEqual(parser.received(b"x" * 500), 400)
        status, _, words = parser.error.to_response()
        self.assertEqual(status[:3], "507")
        self.assertIn(b"The disk is full", words)
