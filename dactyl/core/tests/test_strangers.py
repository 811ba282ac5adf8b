"""Every reader of a file that a stranger made: read, or refused in our own words, within bounds of time and memory.

``make fuzz`` runs many more, with new seeds. What breaks a reader is kept in the folder ``broken``, under the reader's name.
"""

import os
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from dactyl.core.tests.strangers import KEPT, READERS, fault_of, mutated

COUNT = int(os.environ.get("FUZZ", "40"))
FIRST = int(os.environ.get("FUZZ_FIRST", "0"))
ONLY = os.environ.get("FUZZ_READERS", "")


class Strangers(SimpleTestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_whole_files_are_read(self):
        for name, reader in READERS.items():
            with self.subTest(name):
                path = self.folder / reader.file
                path.write_bytes(reader.within(reader.whole()))
                reader.read(path)

    def test_what_broke_a_reader_once_breaks_none_again(self):
        for path in sorted(KEPT.glob("*-*")):
            with self.subTest(path.name):
                self.assertEqual(fault_of(path.name.partition("-")[0], path.read_bytes(), self.folder), "")

    def test_no_broken_file_is_answered_otherwise_than_in_our_words(self):
        for name in ONLY.split(",") if ONLY else READERS:
            for seed in range(FIRST, FIRST + COUNT):
                with self.subTest(name, seed=seed):
                    self.assertEqual(fault_of(name, mutated(name, seed), self.folder), "")
