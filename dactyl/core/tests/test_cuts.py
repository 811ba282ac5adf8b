"""Who silences whom is told by the rules of playing; the usual groups are proposed where they are missing."""

from django.test import SimpleTestCase

from dactyl.core.cuts import CHOKE, ITSELF, MUTE, Cut, PadCuts, cuts_of, usual


def pad(id: int, name: str, kind: str, piece: int, **more) -> PadCuts:
    return PadCuts(id=id, name=name, kind=kind, piece=piece, **more)


class Cuts(SimpleTestCase):
    def test_every_pair_is_told_with_what_cuts_it(self):
        pads = [
            pad(1, "Closed", "closed_hat", 1, choke="A", cuts_itself=True), pad(2, "Open", "open_hat", 1, choke="A"),
            pad(3, "Grab", "crash", 2, silences=1, silenced_by=1), pad(4, "Edge", "crash", 2, silenced_by=1),
        ]  # fmt: skip
        self.assertEqual(cuts_of(pads), [
            Cut(1, 1, ITSELF), Cut(1, 2, CHOKE, "A"), Cut(2, 1, CHOKE, "A"), Cut(3, 4, MUTE, "1"),
        ])  # fmt: skip

    def test_hats_and_grabs_are_proposed_once(self):
        pads = [
            pad(1, "Hat closed", "closed_hat", 1), pad(2, "Hat open", "open_hat", 1),
            pad(3, "Crash edge", "crash", 2), pad(4, "Crash grabbed", "crash", 2), pad(5, "Ride", "ride", 3), pad(6, "Kick", "kick", 4),
        ]  # fmt: skip
        hats, grabs = usual(pads)
        self.assertEqual((hats.words, hats.chokes), ("Hat closed and Hat open cut each other", (1, 2)))
        self.assertEqual(
            (grabs.words, grabs.silencers, grabs.silenced), ("Crash grabbed silences Crash edge", (4,), (3,))
        )
        done = [
            pad(1, "Hat closed", "closed_hat", 1, choke="A"), pad(2, "Hat open", "open_hat", 1, choke="A"),
            pad(3, "Crash edge", "crash", 2, silenced_by=1), pad(4, "Crash grabbed", "crash", 2, silences=1),
        ]  # fmt: skip
        self.assertEqual(usual(done), [])
        apart = [pad(1, "Closed", "closed_hat", 1), pad(2, "Open", "open_hat", 2)]
        self.assertEqual(usual(apart)[0].chokes, (1, 2), "each a piece of its own")
