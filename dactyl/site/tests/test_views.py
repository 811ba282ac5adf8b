"""Every view opens, as a page of its own and as the part that htmx swaps in."""

import time

from django.http import HttpResponse

from dactyl.demo.scenario import parts
from dactyl.kits.tests.test_edits import KitCase
from dactyl.kits.views.card import TABS
from dactyl.parts.edits import add_part


class Views(KitCase):
    def test_every_view_of_a_kit_opens_as_a_page_and_as_a_part(self):
        self.give()
        for part in parts():
            add_part(part)
        kit = self.kit.pk
        ids = ",".join(str(sample.pk) for sample in self.samples)
        paths = [f"/kits/{kit}/", f"/kits/{kit}/desk/", f"/kits/{kit}/history/", f"/kits/{kit}/stack/", f"/parts/of/{kit}/", f"/bounces/of/{kit}/"]  # fmt: skip
        for path in paths:
            for headers in ({}, {"HX-Request": "true"}):
                with self.subTest(path=path, headers=headers):
                    self.assertEqual(self.client.get(path, headers=headers).status_code, 200)
        for tab in TABS:
            answer = self.client.get(f"/kits/{kit}/card/?pad={self.pad.pk}", headers={"X-Card-Tab": tab})
            self.assertContains(answer, f'data-tab="{tab}"')
        self.assertContains(self.when_prepared(f"/kits/{kit}/pads/{self.pad.pk}/response/"), "alike")
        self.assertContains(
            self.client.post(f"/kits/{kit}/stack/propose/", {"samples": ids}, follow=True), "6 files on 1 pad"
        )
        asked = self.client.get(f"/kits/{kit}/pads/{self.pad.pk}/cut/?sample={self.samples[0].pk}&way=grid&count=4")
        self.assertContains(asked, 'Cut into <output id="cut-pieces">4</output> slices')

    def when_prepared(self, path: str) -> HttpResponse:
        """No request waits for sounds to be prepared: the page asks again until they are."""
        for _ in range(200):
            answer = self.client.get(path)
            if b"Measuring" not in answer.content:
                break
            time.sleep(0.05)
        return answer
