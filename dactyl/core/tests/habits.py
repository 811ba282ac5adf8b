"""Naming habits that the reader of names was not written for: made first, then measured, learned from, and kept.

Of the first nineteen it read 13 without a mistake when it met them, of the next twelve 5, then 8, then 9, and 23 of the
last thirty.
"""

import numpy as np

from dactyl.core.tests.recordings import Truth

THREE = ("snare", "kick", "tom 1")
HATS = ("hat closed", "hat open", "snare", "snare rim")
SPOKEN = {
    "snare": "Snare",
    "snare rim": "Snare Rim",
    "kick": "Kick",
    "hat closed": "Hi-Hat Closed",
    "hat open": "Hi-Hat Open",
    "tom 1": "Rack Tom",
    "tom 2": "Floor Tom",
    "crash": "Crash 16",
}
SHORT = {
    "snare": "SN",
    "snare rim": "SN-RS",
    "kick": "KD",
    "hat closed": "HH-Clsd",
    "hat open": "HH-Open",
    "tom 1": "Tom-Rack-10in",
    "tom 2": "Tom-Floor-16in",
    "crash": "CR",
}
EIGHT = tuple(SPOKEN)


def spoken(truth: Truth, join: str = " ") -> str:
    return SPOKEN[truth.pad].replace(" ", join)


ALL = ("snare", "snare rim", "kick", "hat closed", "hat open", "tom 1", "tom 2", "crash")
CAMEL = {
    "snare": "SnareMain", "snare rim": "SnareRim", "kick": "KickMain", "hat closed": "HatShut", "hat open": "HatOpen",
    "tom 1": "TomSmall", "tom 2": "TomLarge", "crash": "CymbalCrash",
}  # fmt: skip
ABBR = {
    "snare": "Sn", "snare rim": "SnRm", "kick": "Kk", "hat closed": "HtC", "hat open": "HtO", "tom 1": "Tm1", "tom 2": "Tm2",
    "crash": "Csh",
}  # fmt: skip
GERMAN = {"snare": "Kleine Trommel", "kick": "Große Trommel", "crash": "Becken"}


HABITS = {  # name -> (pads, layers, takes, mics, name of a file)
    "size and letters": (("kick", "snare"), 5, 4, ("close",), lambda t: f"{spoken(t, '_')}_20x14_Hit_V{t.layer + 1:02}_{'ABCD'[t.take]}.wav"),
    "S M H": (EIGHT, 3, 3, ("Top", "Btm"), lambda t: f"{SHORT[t.pad]}-{'SMH'[t.layer]}-{t.take + 1:02}-{t.mic}.wav"),
    "layer dash take": (EIGHT, 4, 3, ("close",), lambda t: f"{spoken(t)} {t.layer + 1}-{t.take + 1}.wav"),
    "count, then strength": (("snare", "kick"), 3, 4, ("close", "room"), lambda t: f"{1 + t.layer * 4 + t.take:02}_{spoken(t).lower()}_{('soft', 'mid', 'hard')[t.layer]}_{t.mic}.wav"),
    "spelled out": (HATS, 4, 3, ("close", "oh"), lambda t: f"{spoken(t, '_').lower()}_velocity_{t.layer + 1}_roundrobin_{t.take + 1}_mic_{t.mic}.wav"),
    "overhead pair": (("snare", "crash"), 3, 2, ("Close", "OHL", "OHR"), lambda t: f"{spoken(t)}_v{(40, 80, 120)[t.layer]}_rr{t.take + 1}_{t.mic}.wav"),
    "inches": (("tom 1", "tom 2"), 4, 3, ("DIR", "ROOM"), lambda t: f"{SHORT[t.pad]}_Lyr{t.layer + 1}_RR{t.take + 1}-{t.mic}.wav"),
    "in and out": (("kick",), 4, 3, ("In", "Out"), lambda t: f"KD-{t.mic}-v{t.layer + 1}-h{t.take + 1}.wav"),
    "strength in the folder": (EIGHT, 3, 4, ("close",), lambda t: f"{('Soft', 'Medium', 'Hard')[t.layer]}/{spoken(t)} {t.take + 1}.wav"),
    "layer and take folders": (EIGHT, 3, 3, ("close",), lambda t: f"Layer {t.layer + 1}/RR {t.take + 1}/{spoken(t)}.wav"),
    "brackets": (("snare",), 4, 5, ("close",), lambda t: f"snare ({1 + t.layer * 5 + t.take}).wav"),
    "mic in front": (EIGHT, 3, 3, ("Close", "OH", "Room"), lambda t: f"{t.mic}_{spoken(t, '')}_{t.layer + 1}_{t.take + 1}.wav"),
    "numbered mics": (("snare", "kick"), 3, 3, ("1", "2", "3"), lambda t: f"{spoken(t)}_Hit_{t.take + 1:02}_Vel_{(42, 85, 127)[t.layer]:03}_Mic_{t.mic}.wav"),
    "ghosts to accents": (("snare", "snare rim"), 4, 3, ("close",), lambda t: f"{SHORT[t.pad]} {('ghost', 'soft', 'normal', 'accent')[t.layer]} take {t.take + 1}.wav"),
    "very soft": (("crash", "snare"), 5, 2, ("close",), lambda t: f"{spoken(t)} - {('very soft', 'soft', 'medium', 'hard', 'very hard')[t.layer]} - {t.take + 1}.aif"),
    "everything in folders": (EIGHT, 3, 3, ("close", "overhead"), lambda t: f"{spoken(t)}/{t.mic}/{('p', 'mf', 'f')[t.layer]}/{t.take + 1}.wav"),
    "note names": (EIGHT, 4, 2, ("close",), lambda t: f"{('C1', 'C#1', 'D1', 'D#1', 'E1', 'F1', 'F#1', 'G1')[EIGHT.index(t.pad)]}_v{t.layer + 1}_{t.take + 1}.wav"),
    "mixed padding and case": (("kick", "snare"), 4, 11, ("close",), lambda t: f"{spoken(t).upper() if t.take % 2 else spoken(t).lower()}_v{t.layer + 1:0{1 + t.take % 3}}_r{t.take + 1}.WAV"),
    "numbers alone": (("snare",), 5, 4, ("close",), lambda t: f"{t.layer + 1:02}-{t.take + 1:02}.wav"),
}  # fmt: skip

SIDES = {"crash left": "CrL", "crash right": "CrR", "crash left grab": "CrL_Chk", "crash right grab": "CrR_Chk"}
POLISH = {"snare": "werbel", "kick": "stopa", "crash": "talerz"}
SEVEN = ("snare", "kick", "hat closed", "hat open", "tom 1", "tom 2", "crash")
SIZED = {
    "snare": "Snare 14x6",
    "kick": "Kick 22",
    "hat closed": "Hats Closed Tip",
    "hat open": "Hats Open Edge",
    "tom 1": "Rack 12",
    "tom 2": "Floor 16",
    "crash": "Crash 18 Bow",
}
CODE = {"snare": "sd", "kick": "bd", "hat closed": "ch", "hat open": "oh", "tom 1": "t1", "tom 2": "t2", "crash": "cr"}
WORD = ("whisper", "light", "firm", "full")
NUMERAL = ("i", "ii", "iii", "iv", "v")

HABITS |= {  # name -> (pads, layers, takes, mics, name of a file)
    "percent": (SEVEN, 4, 3, ("close",), lambda t: f"{SIZED[t.pad]} {(25, 50, 75, 100)[t.layer]}pct {t.take + 1}.wav"),
    "codes run together": (SEVEN, 4, 3, ("close",), lambda t: f"{CODE[t.pad]}{t.layer + 1}{'abc'[t.take]}.wav"),
    "dots": (SEVEN, 3, 4, ("close", "room"), lambda t: f"{CODE[t.pad]}.vel{t.layer + 1}.take{t.take + 1}.{t.mic}.wav"),
    "plain English words": (("snare", "kick"), 4, 3, ("close",), lambda t: f"{SIZED[t.pad]} {WORD[t.layer]} {t.take + 1}.wav"),
    "numerals": (("snare", "tom 1"), 5, 2, ("close",), lambda t: f"{SIZED[t.pad]} {NUMERAL[t.layer]} {t.take + 1}.wav"),
    "takes before layers": (SEVEN, 3, 4, ("close",), lambda t: f"{CODE[t.pad]}_take{t.take + 1}_lev{t.layer + 1}.wav"),
    "date in front": (SEVEN, 4, 3, ("close", "oh"), lambda t: f"240117 {SIZED[t.pad]} v{t.layer + 1} r{t.take + 1} {t.mic}.wav"),
    "folders of mics and pieces": (SEVEN, 4, 2, ("Spot", "Overs", "Far"), lambda t: f"{t.mic}/{SIZED[t.pad]}/V{t.layer + 1}R{t.take + 1}.wav"),
    "one running number": (("snare",), 5, 4, ("close",), lambda t: f"sn_{1 + t.layer * 4 + t.take:03}.wav"),
    "loudest is one": (("snare", "kick"), 4, 3, ("close",), lambda t: f"{CODE[t.pad]}_v{4 - t.layer}_{t.take + 1}.wav"),
    "umlauts": (("snare", "crash"), 3, 3, ("nah", "fern"), lambda t: f"{'Bläch' if t.pad == 'crash' else 'Snäre'}_{t.layer + 1}_{t.take + 1}_{t.mic}.wav"),
    "decibels": (("snare", "kick"), 4, 3, ("close",), lambda t: f"{CODE[t.pad]} -{18 - 6 * t.layer}dB {t.take + 1}.wav"),
}  # fmt: skip

SPLIT = ("snare", "snare rim", "kick", "hat closed", "hat open", "tom 1", "tom 2", "crash")
LONG = {
    "snare": "MainSnare_Centre",
    "snare rim": "MainSnare_RimShot",
    "kick": "BassDrum",
    "hat closed": "HiHat_Closed",
    "hat open": "HiHat_Open",
    "tom 1": "TomHi",
    "tom 2": "TomLo",
    "crash": "CrashLeft",
}
BRIEF = {
    "snare": "SNR", "snare rim": "SNR RIM", "kick": "KIK", "hat closed": "HAT CL", "hat open": "HAT OP", "tom 1": "TOM HI",
    "tom 2": "TOM LO", "crash": "CRSH",
}  # fmt: skip
FRENCH = {"snare": "caisse claire", "kick": "grosse caisse"}
FORCE = ("pp", "mp", "mf", "ff")
FELT = ("feather", "soft", "hard", "crushing")

HABITS |= {  # name -> (pads, layers, takes, mics, name of a file)
    "velocity ranges": (SPLIT, 4, 2, ("close",), lambda t: f"{LONG[t.pad]}_{1 + 32 * t.layer}-{32 + 32 * t.layer - (t.layer == 3)}_{t.take + 1}.wav"),
    "session and slate": (SPLIT, 3, 3, ("Close", "OH"), lambda t: f"S03_{BRIEF[t.pad].replace(' ', '')}_L{t.layer + 1}_T{t.take + 1}_{t.mic}.wav"),
    "force at the end": (SPLIT, 4, 3, ("close",), lambda t: f"{BRIEF[t.pad]} {t.take + 1} {FORCE[t.layer]}.wav"),
    "hash and letters": (SPLIT, 3, 4, ("close",), lambda t: f"{LONG[t.pad]}#{t.layer + 1}{'abcd'[t.take]}.wav"),
    "of how many": (("snare", "kick"), 4, 3, ("close",), lambda t: f"{BRIEF[t.pad]} layer {t.layer + 1} of 4 take {t.take + 1} of 3.wav"),
    "felt words": (("snare", "kick", "crash"), 4, 3, ("close",), lambda t: f"{LONG[t.pad]}-{FELT[t.layer]}-{t.take + 1}.wav"),
    "French": (("snare", "kick"), 3, 3, ("proche", "loin"), lambda t: f"{FRENCH[t.pad]} {('doux', 'moyen', 'fort')[t.layer]} {t.take + 1} {t.mic}.wav"),
    "deep folders": (SPLIT, 3, 3, ("Dir", "Amb"), lambda t: f"Kit A/{LONG[t.pad]}/{t.mic}/Vel {t.layer + 1}/hit_{t.take + 1:03}.wav"),
    "percent and time": (SPLIT, 4, 3, ("close",), lambda t: f"{BRIEF[t.pad].lower()} {25 * (t.layer + 1)}% 14h{20 + t.take}.wav"),
    "three numbers": (("tom 1", "tom 2"), 4, 3, ("1", "2"), lambda t: f"tom{1 + (t.pad == 'tom 2')}-{t.layer + 1}-{t.take + 1}-{t.mic}.wav"),
    "microphone models": (("snare", "kick"), 4, 3, ("e604", "tlm", "pair"), lambda t: f"{BRIEF[t.pad]}_{t.mic}_v{t.layer + 1}_{t.take + 1}.wav"),
    "stacked numbers": (("snare",), 5, 4, ("close",), lambda t: f"snare_{t.layer + 1}{t.take + 1:02}.wav"),
    "camel": (ALL, 4, 3, ("Near", "Over"), lambda t: f"{CAMEL[t.pad]}{t.mic}Vel{t.layer + 1}Rnd{t.take + 1}.wav"),
    "short codes": (ALL, 3, 3, ("close",), lambda t: f"{ABBR[t.pad]}-{t.layer + 1}-{t.take + 1}.wav"),
    "German": (("snare", "kick", "crash"), 3, 3, ("nah", "Raum"), lambda t: f"{GERMAN[t.pad]} {('leise', 'mittel', 'laut')[t.layer]} {t.take + 1} {t.mic}.wav"),
    "layer letters": (ALL, 3, 4, ("close",), lambda t: f"{CAMEL[t.pad]} {'ABC'[t.layer]}{t.take + 1}.wav"),
    "take of the day": (("snare", "kick"), 4, 3, ("close",), lambda t: f"2024-01-1{t.take} {CAMEL[t.pad]} dyn{t.layer + 1}.wav"),
    "round brackets": (ALL, 4, 2, ("close",), lambda t: f"{CAMEL[t.pad]} (velocity {t.layer + 1}) [{t.take + 1}].wav"),
    "midi note in front": (ALL, 4, 2, ("close",), lambda t: f"{36 + ALL.index(t.pad)}_{CAMEL[t.pad]}_{(31, 63, 95, 127)[t.layer]:03}_{t.take + 1}.wav"),
    "equals": (ALL, 3, 3, ("close", "room"), lambda t: f"inst={CAMEL[t.pad]};vel={t.layer + 1};rr={t.take + 1};mic={t.mic}.wav"),
    "mics last by number": (("snare", "kick"), 3, 4, ("1", "2", "3"), lambda t: f"{CAMEL[t.pad]} v{t.layer + 1} rr{t.take + 1} m{t.mic}.wav"),
    "hit folders": (("snare", "tom 1"), 4, 3, ("Top", "Bottom", "OH"), lambda t: f"{CAMEL[t.pad]}/Dynamic {t.layer + 1}/Take {t.take + 1}/{t.mic}.wav"),
    "one word each": (("snare",), 4, 1, ("close",), lambda t: f"{('tap', 'stroke', 'accent', 'crack')[t.layer]}.wav"),
    "takes by word": (("snare", "kick"), 3, 3, ("close",), lambda t: f"{CAMEL[t.pad]}_{('low', 'mid', 'high')[t.layer]}_{('one', 'two', 'three')[t.take]}.wav"),
}  # fmt: skip

PLAIN = {
    "kick": "Kick", "snare": "Snare", "snare rim": "Snare_Rimshot", "hat closed": "HiHat_Closed", "hat open": "HiHat_Open",
    "tom 1": "Tom_High", "tom 2": "Tom_Floor", "crash": "Crash",
}  # fmt: skip
LETTERED = {"hat closed": "hh_c", "hat open": "hh_o", "hat pedal": "hh_p", "kick": "bd", "snare": "sd"}
STRUCK = {
    "snare": "snare_center", "snare rim": "snare_rimshot", "side stick": "snare_xstick", "ride bow": "ride_bow",
    "ride bell": "ride_bell",
}  # fmt: skip
FOLDER = {
    "kick": "Kick", "snare": "Snare/Center", "snare rim": "Snare/Rim", "hat closed": "Hat/Closed", "hat open": "Hat/Open",
    "tom 1": "Toms/Rack", "tom 2": "Toms/Floor", "crash": "Cymbals/Crash",
}  # fmt: skip
NOTE = dict(zip(ALL, ("D1", "E1", "C1", "F#1", "A#1", "C2", "G1", "C#2"), strict=True))
NUMBER = dict(zip(ALL, (38, 40, 36, 42, 46, 48, 43, 49), strict=True))
METAL = {"crash": "Crash1", "ride bow": "Ride-Bow", "ride bell": "Ride-Bell", "tom 1": "Tom1", "tom 2": "Tom2"}
GERMAN |= {"hat closed": "Hi-Hat zu", "hat open": "Hi-Hat offen"}
SPANISH = {"kick": "Bombo", "snare": "Caja", "crash": "Platillo"}
CYRILLIC = {"snare": "малый", "kick": "бочка"}
KANA = {"snare": "スネア", "kick": "キック"}
FIVE = ("pp", "p", "mf", "f", "ff")
STRONG = (20, 45, 70, 100, 127)
DRUMS = ("kick", "snare", "crash")
MEANINGLESS = ("kick", "snare", "crash", "hat closed")


def plain(truth: Truth, join: str = "_") -> str:
    return PLAIN[truth.pad].replace("_", join)


HABITS |= {  # name -> (pads, layers, takes, mics, name of a file); of these it read 23 of 30 when it met them
    "all labelled": (ALL, 5, 6, ("close", "oh", "room"), lambda t: f"{plain(t)}_v{t.layer + 1}_rr{t.take + 1}_{t.mic}.wav"),
    "capitals": (ALL, 5, 2, ("close",), lambda t: f"{plain(t).upper()}-VEL{STRONG[t.layer]:03}-{t.take + 1:02}.WAV"),
    "dynamic and letter": (ALL, 5, 3, ("close",), lambda t: f"{FOLDER[t.pad]}/{FIVE[t.layer]}_{'abc'[t.take]}.wav"),
    "note name first": (ALL, 4, 3, ("close",), lambda t: f"{NOTE[t.pad]} {plain(t, ' ').lower()} {('p', 'mp', 'mf', 'f')[t.layer]} {t.take + 1}.wav"),
    "note number first": (ALL, 3, 4, ("direct", "overhead"), lambda t: f"{NUMBER[t.pad]}_{plain(t)}_L{t.layer + 1}_R{t.take + 1}_{t.mic}.wav"),
    "note numbers only": (ALL, 4, 3, ("close",), lambda t: f"{NUMBER[t.pad]:03}_{STRONG[t.layer]:03}_{t.take + 1}.wav"),
    "mic folders first": (ALL, 4, 3, ("Close", "OH", "Room"), lambda t: f"{t.mic}/{FOLDER[t.pad]}/{('soft', 'med', 'hard', 'max')[t.layer]} {t.take + 1}.wav"),
    "German hats": (("kick", "snare", "hat closed", "hat open", "crash"), 3, 3, ("close",), lambda t: f"{GERMAN[t.pad]}_{('leise', 'mittel', 'laut')[t.layer]}_{t.take + 1:02}.wav"),
    "Spanish": (DRUMS, 3, 3, ("close",), lambda t: f"{SPANISH[t.pad]} {('suave', 'medio', 'fuerte')[t.layer]} {t.take + 1}.wav"),
    "ways of striking": (tuple(STRUCK), 4, 4, ("top", "bottom"), lambda t: f"{STRUCK[t.pad]}_{('soft', 'medium', 'hard', 'hardest')[t.layer]}_{t.take + 1}_{t.mic}.wav"),
    "hats by letter": (tuple(LETTERED), 4, 3, ("close",), lambda t: f"{LETTERED[t.pad]}_v{t.layer + 1}_{t.take + 1}.wav"),
    "T and B": (("snare",), 5, 6, ("T", "B"), lambda t: f"snare_v{t.layer + 1}_rr{t.take + 1}_{t.mic}.wav"),
    "bare velocities": (ALL, 5, 3, ("close",), lambda t: f"{plain(t).lower()}_{STRONG[t.layer]:03}_{t.take + 1:02}.wav"),
    "strength in brackets": (ALL, 3, 4, ("close",), lambda t: f"{plain(t, ' ')} {t.take + 1} ({('soft', 'medium', 'hard')[t.layer]}).wav"),
    "one drum, nothing said": (("snare",), 5, 6, ("close",), lambda t: f"rec_{(t.layer * 6 + t.take) * 7 % 31:04}.wav"),
    "four drums, nothing said": (MEANINGLESS, 4, 3, ("close",), lambda t: f"audio {(MEANINGLESS.index(t.pad) * 12 + t.layer * 3 + t.take) * 11 % 53:03}.wav"),
    "padding as it comes": (ALL, 4, 12, ("close",), lambda t: f"{plain(t)} {t.layer + 1}-{t.take + 1 if t.take % 2 else f'{t.take + 1:02}'}.wav"),
    "numbered metal": (tuple(METAL), 4, 2, ("close", "OH"), lambda t: f"{METAL[t.pad]}-{t.mic}-Layer{t.layer + 1}-Take{t.take + 1}.wav"),
    "strength letters": (ALL, 3, 3, ("close",), lambda t: f"{plain(t)}_{'SMH'[t.layer]}{t.take + 1}.wav"),
    "mic letters": (ALL, 3, 3, ("C", "O", "R"), lambda t: f"{plain(t)}_V{t.layer + 1}_{t.take + 1}{t.mic}.wav"),
    "hard and loud": (ALL, 4, 3, ("CLOSE", "ROOM"), lambda t: f"{plain(t, '')}{('Soft', 'Med', 'Hard', 'Loud')[t.layer]}R{t.take + 1}_{t.mic}.wav"),
    "three bare numbers": (DRUMS, 4, 3, ("1", "2", "3"), lambda t: f"{plain(t)}_{t.layer + 1}_{t.take + 1}_{t.mic}.wav"),
    "take folders": (DRUMS, 4, 3, ("close",), lambda t: f"{plain(t)}/take {t.take + 1}/v{t.layer + 1}.wav"),
    "dynamics by hyphen": (ALL, 5, 3, ("close",), lambda t: f"{plain(t, '-').lower()}-{FIVE[t.layer]}-{t.take + 1}.flac"),
    "lettered robins": (ALL, 4, 4, ("close",), lambda t: f"{plain(t)}_Lv{t.layer + 1}_RR-{'ABCD'[t.take]}.wav"),
    "velocities by dots": (ALL, 4, 3, ("close",), lambda t: f"{plain(t)}.{(32, 64, 96, 127)[t.layer]}.{t.take + 1}.wav"),
    "loudest first": (ALL, 4, 3, ("close",), lambda t: f"{plain(t)}_{4 - t.layer}_{t.take + 1}.wav"),
    "halves of a pair": (DRUMS, 3, 3, ("Direct", "OH_L", "OH_R"), lambda t: f"{plain(t)}_{('p', 'mf', 'f')[t.layer]}{t.take + 1}_{t.mic}.wav"),
    "kana": (("snare", "kick"), 3, 3, ("close",), lambda t: f"{KANA[t.pad]}_v{t.layer + 1}_rr{t.take + 1}.wav"),
    "Cyrillic": (("snare", "kick"), 3, 3, ("close", "room"), lambda t: f"{CYRILLIC[t.pad]} {t.layer + 1} {t.take + 1} {t.mic}.wav"),
    # Twenty-eight were made for these, of which 18 were read at first; and 28 more unseen, of which 24 were read then.
    "hands": (("snare", "tom 1"), 3, 4, ("close",), lambda t: f"{plain(t, '')}_{'LR'[t.take % 2]}H_{('pp', 'mf', 'ff')[t.layer]}_{t.take // 2 + 1}.wav"),
    "hand words": (("snare",), 4, 4, ("close",), lambda t: f"Snare.{('left', 'right')[t.take % 2]}.{t.layer + 1}.{t.take // 2 + 1}.wav"),
    "a mic with its drum's name": (("snare",), 4, 3, ("SnareTop", "SnareBottom", "Hall"), lambda t: f"Snare v{t.layer + 1} r{t.take + 1} {t.mic}.wav"),
    "sides and grabs": (tuple(SIDES), 3, 3, ("OH", "RM"), lambda t: f"{SIDES[t.pad]}_{t.layer + 1}_{t.take + 1}_{t.mic}.wav"),
    "Polish": (("snare", "kick", "crash"), 3, 3, ("close",), lambda t: f"{POLISH[t.pad]} {('cicho', 'średnio', 'głośno')[t.layer]} {t.take + 1}.wav"),
    "strengths in no table": (("snare", "kick"), 3, 3, ("close",), lambda t: f"{plain(t)} {('zefir', 'briza', 'uragan')[t.layer]} {t.take + 1}.wav"),
    "a recorder's counter": (DRUMS, 3, 4, ("close",), lambda t: f"REEL{1000 + 97 * DRUMS.index(t.pad) + t.layer * 4 + t.take}_{plain(t, '')}.wav"),
    "copies": (DRUMS, 3, 3, ("close",), lambda t: f"{plain(t, ' ')} {('soft', 'medium', 'hard')[t.layer]}{('', ' copy', ' copy 2')[t.take]}.wav"),
    "mics by letter": (DRUMS, 4, 2, ("A", "B"), lambda t: f"{plain(t)}_{25 * (t.layer + 1)}pct_t{t.take + 1}_mic{t.mic}.wav"),
    "layers by letter": (DRUMS, 5, 3, ("close",), lambda t: f"{plain(t)}-{'abcde'[t.layer]}-{t.take + 1:02}.wav"),
    "inches in front": (("tom 1", "tom 2"), 3, 3, ("close",), lambda t: f"{(10, 16)[t.pad == 'tom 2']}inch Tom {t.layer + 1} {t.take + 1}.wav"),
    "letters and digits by chance": (MEANINGLESS, 4, 3, ("close",), lambda t: f"{''.join('pbdehosrt2k7'[int(digit, 12)] for digit in np.base_repr(7**9 + 99_991 * (MEANINGLESS.index(t.pad) * 12 + t.layer * 3 + t.take), 12))}.wav"),
    # Words of no language: what changes with them tells what they are.
    "words of no language": (ALL, 3, 4, ("zum", "plo"), lambda t: f"{plain(t, ' ')} {('fiv', 'gred', 'strok')[t.layer]} {('ena', 'dva', 'tri', 'fir')[t.take]} {t.mic}.wav"),
    "hands of no language": (("snare", "kick", "tom 1", "crash"), 3, 4, ("close",), lambda t: f"{('mald', 'deks')[t.take % 2]}{t.take // 2 + 1}={plain(t, '')}=tavolo{t.layer + 1}.wav"),
    "a side at one drum": (("crash left", "crash right", "snare", "kick"), 3, 2, ("OHL", "OHR"), lambda t: f"{ {'crash left': 'krak vasak', 'crash right': 'krak parem'}.get(t.pad, t.pad)}@{t.mic}@{t.layer + 1}of3@{t.take + 1}of2.wav"),
    "a counter before all": (ALL, 4, 3, ("Near", "Balcony"), lambda t: f"TAPE-{100 + 12 * ALL.index(t.pad) + 3 * t.layer + t.take:04}+{plain(t, '')}+{t.mic}+lv{t.layer + 1}+{t.take + 1}.wav"),
    "numbers as folders": (ALL, 4, 3, ("close",), lambda t: f"{25 * (t.layer + 1)}%/go{t.take + 1:02}/{plain(t, '-')}.wav"),
    "letters run together with drums": (DRUMS, 3, 2, ("close",), lambda t: f"{t.pad}{'abc'[t.layer]}{t.take + 1}.wav"),
    "a copy or none": (DRUMS, 3, 3, ("close",), lambda t: f"{t.layer + 1}/{plain(t, '')}{('', '~copy', '~copy 2')[t.take]}.wav"),
}  # fmt: skip
