"""Naming habits that the reader of names was not written for: made first, then measured, and kept."""

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
