"""Parts: brought in from MIDI files, drawn by pad, and handed to the player in frames."""

from django.core.files.uploadedfile import SimpleUploadedFile

from dactyl.core.formats.midi import write_midi
from dactyl.core.parts.part import Note, Part
from dactyl.kits import queries
from dactyl.kits.tests.test_edits import KitCase
from dactyl.parts.models import Part as PartRow
from dactyl.parts.queries import lanes, part_value


def a_part(*notes: Note, **settings) -> Part:
    fields = {"name": "Harbour", "ticks_per_beat": 480, "tempos": ((0, 500_000),), "end_tick": 3840}
    return Part(notes=notes, **fields | settings)


class Parts(KitCase):
    def setUp(self):
        self.give()  # the snare answers note 38

    def upload(self, data: bytes, name: str = "Harbour.mid"):
        file = SimpleUploadedFile(name, data, content_type="audio/midi")
        return self.client.post(f"/parts/of/{self.kit.pk}/read/", {"file": file}, headers={"HX-Request": "true"})

    def test_a_midi_file_becomes_a_part_with_a_lane_for_each_pad_and_each_note_without_one(self):
        part = a_part(Note(0, 38, 20), Note(480, 38, 120), Note(960, 99, 64))
        answer = self.upload(write_midi(part))
        self.assertEqual(answer.status_code, 200)
        row = PartRow.objects.get()
        self.assertIn(f"?part={row.pk}", answer.headers["HX-Push-Url"])
        self.assertContains(answer, "D#6 · 99")
        self.assertContains(answer, "2 bars")
        given = self.client.post(f"/kits/{self.kit.pk}/notes/99/", {"value": " snare "}, headers={"HX-Request": "true"})
        self.assertContains(given, "Note of Snare: D1 · 38, D#6 · 99")
        self.assertNotContains(self.client.get(f"/parts/of/{self.kit.pk}/?part={row.pk}"), "give-99")
        refused = self.client.post(f"/kits/{self.kit.pk}/notes/98/", {"value": "Gong"}, headers={"HX-Request": "true"})
        self.assertContains(refused, "No pad is called “Gong”", status_code=422)
        self.assertEqual(list(part_value(row).hits(48_000)), list(part.hits(48_000)))

    def test_marks_stand_where_the_hits_are_and_louder_ones_are_taller(self):
        part = a_part(Note(0, 38, 1), Note(1920, 38, 127), Note(3840 - 960, 38, 64))
        (lane,) = lanes(part, queries.sheet_rows(self.kit), middle_c_octave=3)
        marks = [mark.split(" 19v-") for mark in lane.marks.split("M")[1:]]
        self.assertEqual([float(x) for x, _ in marks], [0.0, 500.0, 750.0])
        heights = [float(height) for _, height in marks]
        self.assertTrue(heights[0] < heights[2] < heights[1])
        self.assertEqual((lane.hits, lane.is_answered, lane.note_labels), (3, True, "D1 · 38"))

    def test_hits_come_in_frames_with_the_length_of_the_loop(self):
        self.upload(write_midi(a_part(Note(480, 38, 100, 9), Note(960, 36, 30, 2), tempos=((0, 600_000),))))
        answer = self.client.get(f"/parts/{PartRow.objects.get().pk}/hits/44100/").json()
        self.assertEqual(answer["hits"], [[26_460, 38, 100, 9], [52_920, 36, 30, 2]])
        self.assertEqual((answer["bars"], answer["bpm"], answer["loopFrames"]), (2, 100.0, 2 * 4 * 26_460))

    def test_what_is_no_part_is_refused_with_a_sentence_and_nothing_is_kept(self):
        whole = write_midi(a_part(Note(0, 38, 90)))
        for data, words in (
            (b"not a midi file", "is not a MIDI file"),
            (whole[:20], "Harbour.mid"),
            (write_midi(a_part()), "no note"),
            (whole[:12] + bytes.fromhex("e728") + whole[14:], "SMPTE"),
        ):
            with self.subTest(words):
                answer = self.upload(data)
                self.assertContains(answer, words, status_code=422)
                self.assertNotContains(answer, "Traceback", status_code=422)
        answer = self.client.post(f"/parts/of/{self.kit.pk}/read/", headers={"HX-Request": "true"})
        self.assertContains(answer, "No file was chosen", status_code=422)
        self.assertEqual(PartRow.objects.count(), 0)

    def test_without_a_part_the_page_says_how_to_get_one(self):
        self.assertContains(self.client.get(f"/parts/of/{self.kit.pk}/"), "MIDI file")

    def test_a_part_of_an_hour_is_drawn_as_few_elements(self):
        notes = [Note(120 * n, 38, 1 + n % 127) for n in range(30_000)]
        self.upload(write_midi(a_part(*notes, end_tick=120 * 30_000)))
        page = self.client.get(f"/parts/of/{self.kit.pk}/").content.decode()
        self.assertLess(page.count("<path"), 200)
        self.assertLess(page.count("<span"), 900)
