"""The keys of every view, in one table: the list under "?" is made from it, and its search."""

import re
from functools import cache

from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

# fmt: off
KEYS = (  # (where, ((keys, what they do), ...)); what stands in backticks is a key
    ("Playing", (
        ("`A` … `;` `Q` … `P`", "the pads, as shown on them; with `Shift` softly"),
        ("`Space`", "play or stop the part; press the button that `Tab` led to"),
        ("`Esc`", "silence everything; close a window"),
        ("`Y`", "the selected pad from soft to loud"),
        ("`M` `N`", "mute, solo the selected pad"),
        ("`[` `]`", "the sixteen pads before, after"),
    )),
    ("Anywhere", (
        ("`Ctrl` `Z`", "undo; with `Shift` redo"),
        ("`Enter` in a number", "keep it; `↑` `↓` change it, with `Shift` finely; `Alt` `Delete` resets it"),
        ("`?`", "this list; what you type finds acts, kits, parts and recordings"),
    )),
    ("Sheet", (
        ("`↑` `↓`", "the pad above, below; with `Shift` several"),
        ("`G`", "go to a piece by its name"),
        ("`Alt` `↑` `↓`", "move its piece up, down"),
        ("`Enter`", "to its card"),
        ("`Ctrl` `A`", "all pads"),
        ("`Ctrl` `C` `V`", "copy pads; give the selected ones their settings, or in another kit bring them in"),
        ("`Ctrl` `D`", "duplicate"),
        ("`Delete`", "clear the pad"),
        ("`H`", "other drums in its place: `↑` `↓` hear, `Enter` keeps"),
        ("`{` `}`", "the kit before, after, in a set that is flipped through"),
        ("in Cuts, on the plan", "arrows walk or move, `Enter` sets a dot or strikes"),
    )),
    ("Recording", (
        ("`↑` `↓` `←` `→`", "tracks; hits, with `Shift` moved by 1 ms, with `Alt` to the next rise"),
        ("`Enter` `Delete` `I` `F`", "take, leave out, put in, make a flam"),
        ("`U` `Esc`", "the next unsure hit in a loop; end it"),
        ("`S` `M` `,` `.`", "the track alone, mute it; its threshold by 1 dB"),
    )),
    ("Part", (
        ("`←` `→` `↑` `↓`", "the grid place before, after; the lane above, below (`Tab` leads to the hits)"),
        ("`Enter`", "a hit there, or none; `1` … `9` its velocity"),
        ("`Ctrl` with arrows", "move the selected hits; with `Alt` louder, softer, by ticks"),
        ("`Ctrl` `A` `C` `X` `V` `D`", "all; copy, cut, paste at the playhead; again behind"),
        ("`I` `Delete`", "invert what is selected; remove it"),
        ("`.` `,` `T`", "finer, coarser grid; triplets"),
        ("`X` `C`", "record; click"),
        ("`+` `−` `0` `H`", "zoom; the whole part; velocity or level heard"),
    )),
    ("Takes", (
        ("`↑` `↓`", "the take above, below, heard; with `Shift` several"),
        ("`Alt` `↑` `↓`", "reorder"),
        ("`Alt` `←` `→`", "to the softer, louder layer"),
        ("`Ctrl` `C` `X` `V`", "copy, cut, put into a layer or onto a pad"),
        ("`X` `Delete`", "leave out or let play; remove"),
        ("`T`", "try samples in its place: arrow keys walk the shelf, `Enter` keeps, `Esc` gives back"),
    )),
    ("Waveform", (
        ("`S` `E`", "take hold of the start, the end"),
        ("`←` `→`", "move it; with `Shift` by one frame"),
        ("`+` `−`", "zoom"),
        ("`O` `Z`", "snap to the onset, to a zero crossing"),
    )),
    ("Shelf", (
        ("`B` `/`", "open or fold it; search it"),
        ("`↑` `↓`", "the next sample, heard; with `Shift` several; `Ctrl` `A` all found"),
        ("`Enter`", "give the selected samples to the selected pad"),
        ("`Delete`", "put them away, or bring them back"),
    )),
    ("Proposal", (
        ("`←` `→`", "the file before, after; `Enter` hears it, `Space` selects several"),
        ("`↑` `↓`", "to the louder, softer layer"),
        ("`Delete`", "leave it out"),
    )),
    ("Map", (
        ("`←` `→`", "move the pad’s notes; with `Shift` by octaves"),
        ("`Enter` `Delete`", "learn its note from the next strike; take its notes away"),
        ("`↑` `→` …", "on a surface: to the next cell; with `Shift` select, `Space` one more, `Enter` to the pads"),
        ("`M` `A` `X` `Delete`", "the selected cells: mirror, also on the other side, swap two, clear"),
        ("`Ctrl` `C` `V`", "copy the selected cells to where you are"),
    )),
)
# fmt: on


@cache
def shown() -> tuple[tuple[str, tuple[tuple[SafeString, SafeString], ...]], ...]:
    """As every page draws them."""
    return tuple((where, tuple((_keyed(keys), _keyed(words)) for keys, words in rows)) for where, rows in KEYS)


def _keyed(text: str) -> SafeString:
    return mark_safe(re.sub(r"`(.+?)`", r"<kbd>\1</kbd>", escape(text)))  # noqa: S308
