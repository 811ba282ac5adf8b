"""Naming conventions written after the reader of names was finished, and never used to change it."""

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

CONVENTIONS = {  # name -> (pads, layers, takes, mics, name of a file)
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
