"""Who silences whom is told by the rules of playing; the usual groups are proposed where they are missing."""

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.cut_groups import CutGroups
from dactyl.core.cuts import CHOKE, ITSELF, MUTE, Cut, PadCuts, cuts_of, usual


def pad(id: int, name: str, kind: str, piece: int, **more) -> PadCuts:
    return PadCuts(id=id, name=name, kind=kind, piece=piece, **more)


class Cuts(SimpleTestCase):
    def test_every_pair_is_told_with_what_cuts_it(self):
        pads = [
            pad(1, "Closed", "closed_hat", 1, choke="A", cuts_itself=True), pad(2, "Open", "open_hat", 1, choke="A"),
            pad(3, "Grab", "crash", 2, silences=(1, 2), silenced_by=(1,)), pad(4, "Edge", "crash", 2, silenced_by=(1, 2)),
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
            pad(3, "Crash edge", "crash", 2, silenced_by=(1,)), pad(4, "Crash grabbed", "crash", 2, silences=(1,)),
        ]  # fmt: skip
        self.assertEqual(usual(done), [])
        apart = [pad(1, "Closed", "closed_hat", 1), pad(2, "Open", "open_hat", 2)]
        self.assertEqual(usual(apart)[0].chokes, (1, 2), "each a piece of its own")


class Groups(SimpleTestCase):
    @given(st.lists(st.tuples(st.integers(1, 6), st.integers(1, 6), st.booleans()), max_size=40))
    def test_any_set_of_cuts_is_made_a_dot_at_a_time(self, presses):
        groups, dots = CutGroups([]), set()
        for by, of, both in presses:
            if by == of:
                continue
            if (by, of) in dots:
                groups.let_part(by, of)
                dots.discard((by, of))
            elif both:
                groups.let_choke([by, of])
                dots |= {(by, of), (of, by)}
            else:
                groups.let_cut([by], [of])
                dots.add((by, of))
            self.assertEqual(groups.pairs(), dots)

    def test_three_that_all_cut_each_other_are_one_choke_group_and_parting_two_keeps_its_fade(self):
        groups = CutGroups([])
        for by, of in ((1, 2), (1, 3), (2, 3)):
            groups.let_choke([by, of])
        self.assertEqual((groups.letters, groups.silencing), ({1: "A", 2: "A", 3: "A"}, {}))
        groups.let_part(1, 3)
        self.assertEqual(groups.pairs(), {(1, 2), (2, 1), (2, 3), (3, 1), (3, 2)})
        self.assertEqual(set(groups.fade_like.values()), {"A"})

    def test_who_silences_the_same_shares_a_group(self):
        groups = CutGroups([])
        for by, of in ((1, 3), (2, 3), (1, 4), (2, 4)):
            groups.let_cut([by], [of])
        self.assertIn(({1, 2}, {3, 4}), [(groups.silencing[n], groups.silenced[n]) for n in groups.silencing])
