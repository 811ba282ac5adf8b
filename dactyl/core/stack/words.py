"""The words that stand in the names of drum recordings, in tables; and a name as a row of tokens."""

import re
import unicodedata
from dataclasses import dataclass

# How hard a hit was, softest first. Words in one row mean the same.
DYNAMICS = (
    ("ppp", "softest", "pianissimo"),
    ("pp", "vsoft", "ghost", "whisper", "sehrleise"),
    (
        "p", "soft", "softly", "quiet", "light", "leise", "piano", "doux", "suave", "weak", "gentle", "flojo", "débil", "fraco", "debole",
        "faible", "weich", "schwach", "zacht", "cicho", "słabo", "tiše", "potichu", "slabě", "тихо", "слабо", "tiho", "svag", "mjuk",
        "svakt", "hiljaa", "halk", "halkan", "încet", "slab", "yumuşak", "弱",
    ),
    ("mp", "medsoft", "mediumsoft", "softmed", "mezzopiano"),
    (
        "med", "medium", "mid", "md", "mittel", "normal", "moderate", "moyen", "medio", "reg", "regular", "médio", "middel", "gemiddeld",
        "średnio", "średni", "středně", "střední", "средне", "средний", "середньо", "srednje", "medel", "keski", "közepes", "mediu",
        "orta", "中",
    ),
    ("mf", "medhard", "mediumhard", "hardmed", "medloud", "mezzoforte"),
    (
        "f", "hard", "loud", "strong", "forte", "laut", "fort", "heavy", "fuerte", "accent", "acc", "hart", "stark", "luid", "głośno",
        "mocno", "nahlas", "hlasitě", "silně", "громко", "сильно", "голосно", "glasno", "jako", "hård", "hårt", "sterk", "kova", "hangos",
        "erős", "tare", "sert", "強", "强",
    ),
    ("ff", "vhard", "harder", "louder", "fortissimo", "sehrlaut", "slam", "smash"),
    ("fff", "hardest", "loudest", "max", "full"),
)  # fmt: skip
DYNAMIC_RANK = {word: rank for rank, row in enumerate(DYNAMICS) for word in row}
_COMPARATIVES = {"softer": 1, "lighter": 1, "quieter": 1}
DYNAMIC_RANK |= _COMPARATIVES

MICS = {  # as they are called here, and their words
    "close": ("close", "closemic", "direct", "dir", "spot", "cls", "clo", "dry", "near", "cl", "nah"),
    "top": ("top", "tp", "batter", "snaretop"),
    "bottom": ("bottom", "bot", "btm", "under", "reso", "snarebottom", "wires"),
    "in": ("inside", "kickin", "in"),
    "out": ("outside", "kickout", "out"),
    "sub": ("sub", "subkick"),
    "overhead": ("overhead", "overheads", "oh", "ohs", "ovh", "ovhd", "ohd"),
    "room": ("room", "rooms", "rm", "roommic", "raum", "salle", "far", "hall"),
    "ambience": ("amb", "ambient", "ambience", "ambi"),
    "mono": ("monoroom", "mono"),
    "front": ("front",),
    "wide": ("wide",),
    "trigger": ("trig", "trigger"),
}
MIC_OF = {word: mic for mic, words in MICS.items() for word in words}
WEAK_MICS = frozenset(
    {"top", "tp", "in", "out", "mono", "front", "wide", "under", "far", "dry", "sub", "cl", "near", "wires", "hall"}
)
"""Words that may mean something else: a mic only where the same hit has another mic too."""
MIC_ORDER = tuple(MICS)

LOW, HIGH = ("low", "lo"), ("high", "hi")
"""Levels where both stand in the same place of a name and differ in loudness; else drums of other pitches."""

LAYER_LABELS = frozenset({"v", "vel", "velo", "velocity", "vl", "vly", "l", "lay", "lyr", "layer", "dyn", "dynamic", "dynamics", "level", "lvl", "lev", "velocitylayer", "str", "strength", "power", "int", "intensity"})  # fmt: skip
TAKE_LABELS = frozenset({"rr", "r", "rnd", "rrobin", "roundrobin", "robin", "take", "tk", "t", "alt", "hit", "var", "variation", "rep", "n", "no", "nr", "num", "x", "seq", "sample", "smp", "s", "round", "h", "rd", "version", "ver"})  # fmt: skip
MIC_LABELS = frozenset({"mic", "mik", "ch", "chan", "channel"})
NOTE_LABELS = frozenset({"note", "key", "midi", "nn"})

ARTICULATIONS = {  # as a pad is called, and the words for it; two words stand for a pair
    "centre": ("center", "centre", "ctr", "cntr", "cent", "mitte"),
    "edge": ("edge", "edg", "rand"),
    "rim shot": ("rimshot", "rimsht", "rs", "rim shot"),
    "rim": ("rim",),
    "side stick": ("sidestick", "side stick", "crossstick", "cross stick", "xstick", "x stick", "rimclick", "rim click", "stick"),
    "bell": ("bell", "cup", "kuppe"),
    "bow": ("bow",),
    "tip": ("tip",),
    "shank": ("shank",),
    "grabbed": ("grabbed", "grab", "choke", "choked", "chk"),
    "flam": ("flam",),
    "roll": ("roll", "buzz"),
    "drag": ("drag", "ruff"),
    "brush": ("brush", "brushes", "sweep"),
    "mallet": ("mallet", "mallets"),
    "muted": ("muted", "damped", "muffled", "dead"),
    "open": (
        "open", "opened", "opn", "offen", "ouvert", "ouverte", "abierto", "abierta", "aberto", "aberta", "aperto", "aperta", "öppen",
        "otwarty", "otwarte", "otevřený", "открытый",
    ),
    "closed": (
        "closed", "clsd", "shut", "zu", "geschlossen", "fermé", "ferme", "fermée", "cerrado", "cerrada", "fechado", "fechada", "chiuso", "chiusa",
        "stängd", "lukket", "zamknięty", "zavřený", "закрытый", "gesloten",
    ),
    "pedal": ("pedal", "foot", "ped", "pied", "fuss", "fuß", "getreten", "piede", "voet", "педаль"),
    "half open": ("half open", "halfopen", "half", "semi open", "semi", "loose", "sizzle", "halboffen", "demi"),
    "tight": ("tight",),
    "wires off": ("snares off", "snaresoff", "wires off"),
}  # fmt: skip
ARTICULATION_OF = {word: name for name, words in ARTICULATIONS.items() for word in words}

SIZES = frozenset({"inch", "inches", "zoll", "pouces", "pulgadas", "polegadas", "pollici", "cali", "palců"})
"""Behind the number of a drum's size."""
HANDS = {"lh": "l", "rh": "r", "lefthand": "l", "righthand": "r", "lhand": "l", "rhand": "r"}
"""Which hand struck: another take of the same drum."""
COPIES = frozenset({"copy", "copie", "kopie", "kopia", "copia", "cópia", "копия", "kopi", "duplicate"})
"""Another take, or the number behind it more."""

NOISE = frozenset({
    "wav", "aif", "aiff", "flac", "sample", "samples", "shot", "shots", "oneshot", "oneshots", "drum", "drums",
    "kit", "sounds", "audio", "final", "edit", "edited", "export", "bounce", "bounced", "rec", "recording", "bit", "khz",
    "st", "stereo", "hz", "24bit", "16bit", "take", "takes", "layer", "layers", "mic", "mics", "velocity", "the", "a",
})  # fmt: skip
"""Words that tell pads apart only where nothing else does."""

_PARTS = re.compile(r"[^\W\d_]+[#♯]?|\d+")
_CAMEL = re.compile(r"(?<=[a-zà-öø-ÿ])(?=[A-ZÀ-ÖØ-Þ])|(?<=[A-ZÀ-ÖØ-Þ])(?=[A-ZÀ-ÖØ-Þ][a-zà-öø-ÿ]{2,})")


@dataclass(frozen=True, slots=True)
class Token:
    """A word, lower case, or a run of digits."""

    text: str
    is_glued: bool  # to the token before it: "snare3", "V2R3"

    @property
    def is_number(self) -> bool:
        return self.text.isdecimal()


def tokens(text: str) -> list[Token]:
    """``"SnareRim_V05-RR02"`` -> snare, rim, v, 05, rr, 02; capitals inside a word, digits and signs part it."""
    text = unicodedata.normalize("NFC", text)
    found, end = [], -1
    for match in _PARTS.finditer(text):
        at = match.start()
        for part in _CAMEL.split(match[0]):
            glued = at == end
            found.append(
                Token(unicodedata.normalize("NFKC", part).lower(), glued and not (found and _is_camel(found[-1], part)))
            )
            at = end = at + len(part)
    return found


def _is_camel(before: Token, part: str) -> bool:
    """Two words run together are apart; a number stays glued to its word."""
    return not before.is_number and not part.isdecimal()
