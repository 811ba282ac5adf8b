"""The words that stand in the names of drum recordings, in tables; and a name as a row of tokens."""

import re
import unicodedata
from dataclasses import dataclass

from dactyl.core.kinds import forms

# How hard a hit was, softest first. Words in one row mean the same.
DYNAMICS = (
    ("ppp", "softest", "pianissimo", "feather", "barely"),
    ("pp", "vsoft", "ghost", "whisper", "sehrleise", "ghosts"),
    (
        "p", "soft", "softly", "quiet", "quietly", "light", "lightly", "easy", "tap", "leise", "piano", "doux", "suave", "weak", "gentle", "gently",
        "flojo", "débil", "bajito", "fraco", "debole", "leggero", "dolce", "douce", "léger", "faible", "weich", "schwach", "sacht", "zacht",
        "zwak", "cicho", "słabo", "lekko", "tiše", "potichu", "ticho", "slabě", "lehce", "jemně", "тихо", "слабо", "мягко", "тихий", "слабий",
        "tiho", "nežno", "slabo", "meko", "svag", "svagt", "mjuk", "mjukt", "svakt", "blødt", "hiljaa", "hento", "halk", "halkan", "gyenge",
        "puha", "încet", "slab", "yumuşak", "hafif", "σιγά", "απαλά", "fluix", "弱", "小",
    ),
    ("mp", "medsoft", "mediumsoft", "softmed", "mezzopiano"),
    (
        "med", "medium", "mid", "md", "mittel", "normal", "normale", "normalt", "moderate", "moyen", "moyenne", "medio", "media", "mezzo",
        "moderato", "reg", "regular", "médio", "média", "middel", "gemiddeld", "średnio", "średni", "středně", "střední", "stredne",
        "средне", "средний", "середньо", "средно", "srednje", "srednja", "medel", "mellan", "middels", "keski", "keskivahva", "közepes",
        "mediu", "orta", "μέτρια", "mitjà", "中",
    ),
    ("mf", "medhard", "mediumhard", "hardmed", "medloud", "mezzoforte", "solid", "firm"),
    (
        "f", "hard", "loud", "loudly", "strong", "firmly", "forte", "laut", "fort", "heavy", "fuerte", "accent", "acc", "accented", "hart",
        "stark", "kräftig", "luid", "głośno", "mocno", "silno", "nahlas", "hlasitě", "silně", "hlasno", "громко", "сильно", "голосно",
        "гучно", "силно", "glasno", "jako", "snažno", "hård", "hårt", "starkt", "sterk", "sterkt", "kraftig", "kova", "kovaa", "vahva", "hangos",
        "erős", "tare", "puternic", "sert", "güçlü", "δυνατά", "deciso", "強", "强", "大",
    ),
    ("ff", "vhard", "harder", "louder", "fortissimo", "sehrlaut", "slam", "smash", "smack", "whack"),
    ("fff", "hardest", "loudest", "max", "full", "brutal"),
)  # fmt: skip
DYNAMIC_RANK = {form: rank for rank, row in enumerate(DYNAMICS) for form in forms(*row)}
_COMPARATIVES = {"softer": 1, "lighter": 1, "quieter": 1}
DYNAMIC_RANK |= _COMPARATIVES

MICS = {  # as they are called here, and their words
    "close": (
        "close", "closemic", "direct", "dir", "spot", "cls", "clo", "dry", "near", "cl", "nah", "cerca", "perto", "proche", "vicino", "blisko",
        "blízko", "zblízka", "близко", "blizu", "nära", "nær", "lähi", "közel", "dichtbij",
    ),
    "top": ("top", "tp", "batter", "snaretop"),
    "bottom": ("bottom", "bot", "btm", "under", "reso", "snarebottom", "wires"),
    "in": ("inside", "kickin", "in"),
    "out": ("outside", "kickout", "out"),
    "sub": ("sub", "subkick"),
    "overhead": ("overhead", "overheads", "oh", "ohs", "ovh", "ovhd", "ohd", "overs", "ceiling"),
    "room": (
        "room", "rooms", "rm", "roommic", "raum", "salle", "far", "hall", "fern", "sala", "lejos", "longe", "loin", "lontano", "stanza", "daleko",
        "далеко", "pokój", "pokoj", "комната", "soba", "rum", "långt", "huone", "kamer", "corridor", "hallway", "stairwell",
    ),
    "ambience": ("amb", "ambient", "ambience", "ambi", "ambiente", "ambiance"),
    "mono": ("monoroom", "mono"),
    "front": ("front",),
    "wide": ("wide",),
    "trigger": ("trig", "trigger"),
}  # fmt: skip
MIC_OF = {form: mic for mic, words in MICS.items() for form in forms(*words)}
WEAK_MICS = frozenset({
    "top", "tp", "in", "out", "mono", "front", "wide", "under", "far", "dry", "sub", "cl", "near", "wires", "hall", "cerca", "perto", "vicino", "sala",
})  # fmt: skip
"""Words that may mean something else: a mic only where the same hit has another mic too."""
MIC_ORDER = tuple(MICS)
PLAIN_MICS = ("close", "top", "bottom", "in", "out")  # at the drum; all others hear the room too
MIC_LETTERS = {"c": "close", "d": "close", "o": "overhead", "r": "room", "t": "top", "b": "bottom"}
IN_PAIRS = frozenset({"overhead", "room", "ambience", "wide", "front"})
"""Microphones that come as left and right."""

LOW, HIGH = ("low", "lo"), ("high", "hi")
"""Levels where both stand in the same place of a name and differ in loudness; else drums of other pitches."""

LAYER_LABELS = frozenset({"v", "vel", "velo", "velocity", "vl", "vly", "l", "lay", "lyr", "layer", "dyn", "dynamic", "dynamics", "level", "lvl", "lev", "velocitylayer", "str", "strength", "power", "int", "intensity", *forms("ly", "lv", "capa", "camada", "couche", "strato", "livello", "nivel", "nivell", "niveau", "stufe", "schicht", "lage", "laag", "warstwa", "poziom", "vrstva", "úroveň", "слой", "шар", "уровень", "sloj", "razina", "nivo", "lager", "lag", "nivå", "kerros", "taso", "réteg", "strat", "katman")})  # fmt: skip
TAKE_LABELS = frozenset({"rr", "r", "rnd", "rrobin", "roundrobin", "robin", "take", "tk", "t", "alt", "hit", "var", "variation", "rep", "n", "no", "nr", "num", "x", "seq", "sample", "smp", "s", "round", "h", "rd", "version", "ver", "go", "pass", "strike", *forms("toma", "tomada", "prise", "frappe", "ripresa", "colpo", "golpe", "coup", "batida", "aufnahme", "schlag", "opname", "slag", "ujęcie", "uderzenie", "záběr", "úder", "дубль", "удар", "проба", "snimak", "udarac", "tagning", "opptak", "otto", "isku", "felvétel", "ütés", "vuruş")})  # fmt: skip
MIC_LABELS = frozenset({"mic", "mik", "ch", "chan", "channel"})
NOTE_LABELS = frozenset({"note", "key", "midi", "nn"})

ARTICULATIONS = {  # as a pad is called, and the words for it; two words stand for a pair
    "centre": (
        "center", "centre", "ctr", "cntr", "cent", "mitte", "centro", "zentrum", "środek", "střed", "центр", "centar", "mitt", "keskusta", "midten",
    ),
    "edge": (
        "edge", "edg", "rand", "bow edge", "brzeg", "krawędź", "okraj", "край", "ivica", "kant mitt",
    ),
    "rim shot": ("rimshot", "rimsht", "rs", "rim shot"),
    "rim": (
        "rim", "aro", "cercle", "bordo", "cerchio", "randschlag", "obręcz", "ráfek", "обод", "obruč", "rub", "kant", "kanten", "reunus", "perem", "cant",
    ),
    "side stick": (
        "sidestick", "side stick", "crossstick", "cross stick", "xstick", "x stick", "rimclick", "rim click", "stick", "baqueta cruzada", "baqueta lateral", "baguette couchée", "bacchetta", "seitschlag", "rant", "palička", "палочка", "palica", "kantslag", "click", "xstk", "xst", "crossstk", "rimknock", "knock",
    ),
    "bell": (
        "bell", "cup", "kuppe", "campana", "cúpula", "cloche", "cupola", "glocke", "dzwonek", "kopułka", "pupek", "kopulka", "купол", "колокол", "zvono", "zvon", "klocka", "klokke", "kello", "dôme", "dome", "cúpola",
    ),
    "bow": ("bow",),
    "tip": ("tip",),
    "shank": ("shank",),
    "grabbed": (
        "grabbed", "grab", "choke", "choked", "chk", "ahogado", "ahogada", "apagado", "abafado", "abafada", "étouffé", "étouffée", "stoppato", "stoppata", "smorzato", "gestoppt", "abgedämpft", "tłumiony", "stłumiony", "tlumený", "ztlumený", "глушеный", "глушёный", "заглушенный", "prigušen", "prigušena", "dampad", "dämpad", "dempet", "stopped", "hand stop", "sammutettu",
    ),
    "flam": ("flam",),
    "roll": ("roll", "buzz"),
    "drag": ("drag", "ruff"),
    "brush": ("brush", "brushes", "sweep"),
    "mallet": ("mallet", "mallets"),
    "muted": ("muted", "damped", "muffled", "dead"),
    "open": (
        "open", "opened", "opn", "offen", "ouvert", "ouverte", "abierto", "abierta", "aberto", "aberta", "aperto", "aperta", "öppen",
        "otwarty", "otwarte", "otevřený", "открытый", "auf", "otevřená", "otvoren", "otvorena", "öppet", "oppen", "åpen", "åben", "открыта", "відкритий", "отворен", "avoin", "nyitott", "açık", "washy", "odprt",
    ),
    "closed": (
        "closed", "clsd", "shut", "zu", "geschlossen", "fermé", "ferme", "fermée", "cerrado", "cerrada", "fechado", "fechada", "chiuso", "chiusa",
        "stängd", "lukket", "zamknięty", "zavřený", "закрытый", "gesloten", "zavřená", "zatvoren", "zatvorena", "stängt", "stangd", "lukittu", "закрыт", "закрытая", "закритий", "затворен", "suljettu", "kiinni", "zárt", "kapalı", "close hat", "zaprt",
    ),
    "pedal": (
        "pedal", "foot", "ped", "pied", "fuss", "fuß", "getreten", "piede", "voet", "педаль", "pie", "noga", "noha", "nohou", "nogą", "nožno", "nozno", "ногой", "fot", "jalka", "láb", "ayak", "fod",
    ),
    "half open": ("half open", "halfopen", "half", "semi open", "semi", "loose", "sizzle", "halboffen", "demi"),
    "tight": ("tight",),
    "wires off": ("snares off", "snaresoff", "wires off"),
}  # fmt: skip
ARTICULATION_OF = {form: name for name, words in ARTICULATIONS.items() for form in forms(*words)}

SIZES = frozenset({"inch", "inches", "zoll", "pouces", "pulgadas", "polegadas", "pollici", "cali", "palců"})
"""Behind the number of a drum's size."""
SMALLEST_TOM, LARGEST_TOM = 6, 20  # inches across
HANDS = {"lh": "l", "rh": "r", "lefthand": "l", "righthand": "r", "lhand": "l", "rhand": "r"}
"""Which hand struck: another take of the same drum."""
_LEFT = (
    "l", "left", "lft", "izquierda", "izquierdo", "izq", "esquerda", "esquerdo", "esq", "gauche", "sinistra", "sinistro", "sx", "links", "lewa", "lewy", "lewo",
    "levá", "levý", "levo", "лево", "левый", "левая", "лев", "lijevo", "lijevi", "lijeva", "ліва", "vänster", "venstre", "vasen", "stânga",
)  # fmt: skip
_RIGHT = (
    "r", "right", "rgt", "derecha", "derecho", "der", "direita", "direito", "droite", "destra", "destro", "dx", "rechts", "prawa", "prawy", "prawo", "pravá",
    "pravý", "pravo", "право", "правый", "правая", "прав", "desno", "desni", "desna", "права", "höger", "høyre", "højre", "oikea", "jobb", "dreapta", "sağ",
)  # fmt: skip
SIDES = {form: side for side, words in (("l", _LEFT), ("r", _RIGHT)) for form in forms(*words)}
"""Two of something, or the hands."""
NUMERALS = {word: n for n, word in enumerate(("i", "ii", "iii", "iv", "v", "vi", "vii", "viii", "ix", "x"), start=1)}
NUMERALS |= {
    word: n
    for n, word in enumerate(("one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"), start=1)
}
COPIES = frozenset(
    {"copy", "duplicado", "doppio", "kopio", "copie", "kopie", "kopia", "copia", "cópia", "копия", "kopi", "duplicate"}
)
"""Another take, or the number behind it more."""

NOISE = frozenset({
    "wav", "aif", "aiff", "flac", "sample", "samples", "shot", "shots", "oneshot", "oneshots", "drum", "drums",
    "kit", "sounds", "audio", "final", "edit", "edited", "export", "bounce", "bounced", "rec", "recording", "bit", "khz",
    "st", "stereo", "hz", "24bit", "16bit", "take", "takes", "layer", "layers", "mic", "mics", "velocity", "the", "a", "of", "de", "von", "di", "du", "z", "ze", "из", "av", "af",
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
