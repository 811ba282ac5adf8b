"""The kinds of drum sound, in one table: their words in file names and their standard notes.

Notes are General MIDI Level 1 percussion key numbers (MIDI Association, GM System Level 1).
"""

import unicodedata
from collections.abc import Collection
from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Kind:
    slug: str
    label: str
    notes: tuple[int, ...]  # standard drum notes, the most usual first
    words: tuple[str, ...]  # as they stand in names, lower case; several words are all needed

    @property
    def is_hat(self) -> bool:
        return self.slug.endswith("hat")


def plain(word: str) -> str:
    """As it is typed without accents; letters of other scripts stay."""
    apart = unicodedata.normalize("NFD", word.replace("ß", "ss").replace("ł", "l").replace("ø", "o"))
    is_latin = apart[0] < "\u0250"
    return "".join(letter for letter in apart if not unicodedata.combining(letter)) if is_latin else word


def forms(*words: str) -> tuple[str, ...]:
    """Each word, and as it is typed without accents."""
    return tuple(dict.fromkeys(form for word in words for form in (word, plain(word))))


# fmt: off
_HIGH = (
    "agudo", "aguda", "aigu", "acuto", "alto", "alta", "hoch", "hoher", "hoge", "wysoki", "vysoký", "visoki", "висок", "высокий", "hög", "høy",
    "høj", "korkea", "magas", "înalt", "small", "top", "first", "pequeño", "pequeno", "petit", "piccolo", "klein", "mały", "малый",
)
_MIDDLE = (
    "medio", "médio", "medium", "médium", "moyen", "mittel", "mittlerer", "mitte", "średni", "střední", "srednji", "средний", "mellan", "mellem",
    "keski", "közép", "second",
)
_LOW = (
    "grave", "bajo", "baixo", "basse", "basso", "tief", "tiefer", "lage", "niski", "stojący", "nízký", "hluboký", "duboki", "низкий",
    "напольный", "djup", "dyp", "dyb", "matala", "mély", "piso", "suelo", "chão", "terra", "large", "big", "third", "golv", "gulv",
)
ELSEWHERE: dict[str, tuple[str, ...]] = {  # what drummers call them in other languages, as dictionaries of music have it
    "kick": (
        "centralka", "bas bubanj", "bass bubanj", "veliki bubanj", "bdr", "bassdr", "iso rumpu", "kickdrum", "bassd", "bas drum", "stopa",
        "grosse caisse", "große trommel", "grosse trommel", "basstrommel", "bombo", "gran cassa", "grancassa", "cassa", "bumbo",
        "bastrumma", "stortromme", "stortrumma", "grote trom", "bassorumpu", "bęben basowy", "centrala", "velký buben", "kopák",
        "бочка", "большой барабан", "nagydob", "lábdob", "キック", "バスドラム", "底鼓",
    ),
    "snare": (
        "doboš", "dobos", "bubnjić", "mali bubanj", "skarp", "skarptrumma",
        "caisse claire", "caja", "redoblante", "tarola", "rullante", "caixa", "kleine trommel", "kleine trom", "virveltrumma", "virvel",
        "lilletromme", "skarptromme", "virveli", "werbel", "malý buben", "virbl", "малый барабан", "малый", "рабочий", "pergődob",
        "kisdob", "trampet", "スネア", "军鼓",
    ),
    "closed_hat": (
        "fus", "fuščinela", "hi hett", "charly", "contratempo", "pedalcymbal", "lábcin", "hatka",
        "charleston", "charley", "charles", "high hat", "contratiempo", "chimbal", "prato de choque", "hi het", "hajtka", "hajka",
        "хай хэт", "хэт", "ハイハット", "踩镲",
    ),
    "low_tom": (
        "standtom", "stand tom", "tom basse", "tom grave", "tom de piso", "tom de suelo", "goliat", "surdo de chão", "golvpuka", "gulvtam",
        "kocioł", "напольный том", "vloertom", "flr", "flt", "surdo", "timpano", "kotel", "tieftom", "bodentom", "lattiatom", "állótam", "golvtom",
        *(f"tom {how}" for how in _LOW), *(f"{how} tom" for how in _LOW), *(f"том {how}" for how in _LOW), *(f"{how} том" for how in _LOW),
        *(f"{how} puka" for how in _LOW),
    ),
    "high_tom": (
        "hängetom", "hochtom", "rt", "högpuka", *(f"tom {how}" for how in _HIGH), *(f"{how} tom" for how in _HIGH),
        *(f"том {how}" for how in _HIGH), *(f"{how} том" for how in _HIGH), *(f"{how} puka" for how in _HIGH),
    ),
    "mid_tom": (
        "том", "puka", "pukor", "mitteltom", "mellanpuka", *(f"tom {how}" for how in _MIDDLE), *(f"{how} tom" for how in _MIDDLE),
        *(f"том {how}" for how in _MIDDLE), *(f"{how} том" for how in _MIDDLE), *(f"{how} puka" for how in _MIDDLE),
    ),
    "crash": ("краш", "крэш", "crashbecken", "crashcymbal", "ataque", "prato de ataque", "crs", "csh", "effektbecken"),
    "ride": ("райд", "ridebecken", "ridecymbal", "conducción", "condução", "prato de condução", "rde"),
    "ride_bell": ("bell ride", "ride kuppe", "campana de ride", "cloche ride"),
    "cowbell": ("cwb", "ковбелл", "krowi dzwonek", "kravlje zvono", "koklocka", "kuglocke", "zvonec", "kubjelle", "lehmänkello", "kolomp", "cencerro", "kuhglocke", "cloche à vache", "campanaccio", "koebel"),
    "tambourine": (
        "tmb", "tamburina", "cembalo", "pandereta", "tamburin", "tamburello", "schellenring", "schellenkranz", "pandeiro", "pandeirola", "tambourin", "tamburyn", "бубен",
    ),
    "shaker": ("maracas", "rassel", "sonajero", "chocalho", "ganzá", "шейкер", "marakas", "caxixi"),
    "clap": ("palmada", "palmadas", "claquement", "klaskanie", "tlesk", "tlesknutí", "pljesak", "handklapp", "taputus", "palmas", "klatschen", "palma", "battimani", "хлопок", "oklask", "klask"),
    "side_stick": ("rim tap", "aro"),
    "other": (
        "castañuelas", "castanholas", "triángulo", "triangel", "triangolo", "darbuka", "templeblock", "temple block", "carillon",
        "xylophone", "xilófono", "tam tam", "flexatone", "ratchet", "cabaca",
    ),
}
CYMBALS = (
    "becken", "platillo", "platillos", "piatto", "piatti", "prato", "pratos", "cymbale", "cymbal", "cymbals", "cym", "bekken", "talerz",
    "činel", "činely", "cinela", "činela", "тарелка", "zil", "シンバル", "镲",
)
"""A cymbal, whatever else a name says of it; where it says nothing else it is taken for a crash."""
_KINDS = (  # a more special kind stands before the kind whose word it shares
    Kind("ride_bell", "ride bell", (53,), ("ride bell", "ridebell", "rdbell", "rdebell", "ride cup")),
    Kind("cowbell", "cowbell", (56,), ("cowbell", "cow bell", "cb")),
    Kind("side_stick", "side stick", (37,), (
        "sidestick", "side stick", "cross stick", "crossstick", "xstick", "rimclick", "rim click", "stick",
    )),
    Kind("pedal_hat", "pedal hat", (44,), (
        "pedal hat", "hat pedal", "pedal hihat", "pedal hi hat", "hihat pedal", "hi hat pedal", "foot hihat", "hh pedal", "hat foot", "hh foot", "phh", "hhp", "chick", "pedal",
    )),
    Kind("open_hat", "open hat", (46,), (
        "open hat", "hat open", "open hihat", "open hi hat", "openhihat", "open hh", "o hihat", "ohihat", "hihatop", "hihat open", "hh open", "hats open", "ohh", "hho", "oh hat", "openhat", "openhh",
        "hatopen", "opened hat", "half open", "hat op", "hh op", "hihat op", "hat o", "hh o",
    )),
    Kind("closed_hat", "closed hat", (42,), (
        "closed hat", "hat closed", "c hihat", "chihat", "chh", "hhc", "hihat", "hi hat", "hat", "hats", "hh", "closedhat", "hatclosed", "hat cl", "hh cl", "hihat cl", "hat c", "hh c",
    )),
    Kind("low_tom", "low tom", (41, 43), ("floor tom", "floortom", "low tom", "lowtom", "tom low", "tom lo", "tom floor",
                                       "ltom", "ft", "tom 3", "tom3", "tom three", "floor")),
    Kind("high_tom", "high tom", (50, 48), ("high tom", "hightom", "hi tom", "tom hi", "tom high", "rack tom", "htom",
                                         "tom 1", "tom1", "tom one", "rack")),
    Kind("mid_tom", "mid tom", (47, 45), ("mid tom", "midtom", "tom mid", "mtom", "tom 2", "tom2", "tom two", "tom", "toms", "tm")),
    Kind("crash", "crash", (49, 57), ("crash", "crsh", "cr", "china", "splash")),
    Kind("ride", "ride", (51, 59), ("ride", "rd", "ridecym")),
    Kind("tambourine", "tambourine", (54,), ("tambourine", "tamb", "tambo")),
    Kind("shaker", "shaker", (70,), ("shaker", "shake", "shk", "maraca", "cabasa")),
    Kind("clap", "clap", (39,), ("clap", "claps", "handclap", "clp")),
    Kind("snare", "snare", (38, 40), ("snare", "snr", "sd", "sn", "rimshot", "rim shot", "snares")),
    Kind("kick", "kick", (36, 35), ("kick", "kik", "bd", "bdrum", "b drum", "bass drum", "bassdrum", "base drum", "basedrum", "kck", "kd", "kicks")),
    Kind("other", "other", (), (
        "conga", "congas", "bongo", "bongos", "timbale", "timbales", "agogo", "triangle", "woodblock", "wood block", "guiro",
        "claves", "vibraslap", "whistle", "gong", "timpani", "djembe", "cajon", "tabla", "taiko", "udu", "cuica",
        "castanet", "castanets", "jingle", "chime", "chimes", "marimba", "metronome",
    )),
)
KINDS = tuple(
    replace(kind, words=forms(*kind.words, *ELSEWHERE.get(kind.slug, ())))
    for kind in _KINDS
)
BY_SLUG = {kind.slug: kind for kind in KINDS}
OF_NOTE = {note: kind.slug for kind in reversed(KINDS) for note in kind.notes}
"""The kind of each standard drum note."""
IN_SCORE_ORDER = tuple(BY_SLUG[slug] for slug in (
    "kick", "snare", "side_stick", "clap", "closed_hat", "pedal_hat", "open_hat", "low_tom", "mid_tom", "high_tom",
    "crash", "ride", "ride_bell", "cowbell", "tambourine", "shaker", "other",
))


def free_note(kind: str, taken: Collection[int]) -> int | None:
    """The standard drum note of ``kind`` if it is free, else the lowest free note from 60 that no kind claims."""
    claimed = {note for other in KINDS for note in other.notes}
    usual = [note for note in BY_SLUG[kind].notes if note not in taken]
    spare = [note for note in (*range(60, 128), *range(60)) if note not in taken and note not in claimed]
    return next(iter(usual + spare), None)
