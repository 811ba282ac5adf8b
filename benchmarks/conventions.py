"""Naming conventions written after the reader of names was finished, and never used to change it."""

FOUR = ("snare", "kick", "hat closed", "hat open")
TALL = ("kick", "tom 1", "tom 2", "crash")
ENGLISH = {
    "snare": "Snare", "kick": "Kick", "hat closed": "Hat Closed", "hat open": "Hat Open", "tom 1": "Tom Small", "tom 2": "Tom Large",
    "crash": "Crash",
}  # fmt: skip
FRENCH = {
    "snare": "Caisse claire",
    "kick": "Grosse caisse",
    "hat closed": "Charley fermé",
    "hat open": "Charley ouvert",
}
ITALIAN = {"snare": "Rullante", "kick": "Cassa", "crash": "Piatto"}
CODE = {"snare": "SD1", "kick": "BD1", "hat closed": "HH1_CL", "hat open": "HH1_OP"}
NOTE = {"snare": "D1", "kick": "C1", "hat closed": "F#1", "hat open": "A#1"}
RANGES = ("001-042", "043-085", "086-127")

CONVENTIONS = {  # name -> (pads, layers, takes, mics, name of a file)
    "dynamics in brackets": (FOUR, 4, 3, ("close",), lambda t: f"{ENGLISH[t.pad]} [{('p', 'mp', 'mf', 'f')[t.layer]}] ({t.take + 1:02}).wav"),
    "Italian": (("snare", "kick", "crash"), 3, 2, ("close",), lambda t: f"{ITALIAN[t.pad]}_{('piano', 'mezzo', 'forte')[t.layer]}_{t.take + 1}.wav"),
    "percent": (FOUR, 4, 2, ("close",), lambda t: f"{ENGLISH[t.pad].lower()} {25 * (t.layer + 1)}% {'ab'[t.take]}.wav"),
    "decibels": (("snare", "kick"), 4, 3, ("close",), lambda t: f"{ENGLISH[t.pad]}_-{24 - 6 * t.layer}dB_rr{t.take + 1}.wav"),
    "left and right overheads": (("snare", "crash"), 3, 3, ("CL", "OHL", "OHR"), lambda t: f"{ENGLISH[t.pad]}/24-03-02/V{t.layer + 1}/T{t.take + 1}_{t.mic}.wav"),
    "note and range": (FOUR, 3, 3, ("close",), lambda t: f"{NOTE[t.pad]}_{ENGLISH[t.pad].replace(' ', '')}_{RANGES[t.layer]}_{t.take + 1}.wav"),
    "codes and channels": (FOUR, 5, 3, ("1", "2"), lambda t: f"{CODE[t.pad]}_HIT_L{t.layer + 1:02}_A{t.take + 1:02}_CH{t.mic}.wav"),
    "mic first": (TALL, 5, 2, ("room", "direct"), lambda t: f"{t.mic}-{ENGLISH[t.pad].lower().replace(' ', '-')}-{t.layer + 1:02}-{t.take + 1}.wav"),
    "counted from the loudest": (TALL, 4, 4, ("close",), lambda t: f"{ENGLISH[t.pad]} {1 + (3 - t.layer) * 4 + t.take:02}.wav"),
    "folders only": (FOUR, 3, 4, ("Near", "Room"), lambda t: f"{ENGLISH[t.pad]}/{('Soft', 'Medium', 'Hard')[t.layer]}/{t.mic}/{t.take + 1:02}.wav"),
    "French": (FOUR, 3, 2, ("close",), lambda t: f"{FRENCH[t.pad]} {('doux', 'moyen', 'fort')[t.layer]} {t.take + 1}.wav"),
    "number sign": (TALL, 3, 3, ("close",), lambda t: f"{ENGLISH[t.pad].lower()}#{t.take + 1}-v{t.layer + 1}.wav"),
}  # fmt: skip
