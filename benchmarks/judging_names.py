"""Names by a maker of its own, on which the reader of names is judged: conventions drawn by chance out of words, codes,
separators and orders, in several languages; no line of it is shared with what the reader was taught by.

Each set is a kit of recorded drums as somebody's recorder, folder or habit might name it. Seeds below FIRST_KEPT were looked
at while the reader was made; with the others it is measured. Words of MORE_LANGUAGES came after the reader's tables.
"""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from benchmarks.soundfonts import Player, hit, one_shots
from dactyl.core.audio.measure import Measure, measure
from dactyl.core.stack.propose import File
from dactyl.core.tests.recordings import Truth

FIRST_KEPT, FIRST_OF_MORE_LANGUAGES = 300, 100
SOURCE = "freepats"
SHOTS = {  # pad -> kinds of one-shots it is made of
    "kick": ("kick",), "snare": ("snare",), "rim": ("snare",), "stick": ("side_stick",), "closed": ("closed_hat",),
    "open": ("open_hat",), "pedal": ("pedal_hat", "closed_hat"), "tom 1": ("high_tom",), "tom 2": ("mid_tom",), "tom 3": ("low_tom",),
    "crash": ("crash",), "crash left": ("crash",), "crash right": ("crash",), "grab left": ("crash",), "grab right": ("crash",),
    "ride": ("ride",), "bell": ("ride_bell",), "cowbell": ("cowbell",), "tambourine": ("tambourine",), "clap": ("clap",),
}  # fmt: skip
KINDS = {
    "kick": "kick", "snare": "snare", "rim": "snare", "stick": "side_stick", "closed": "closed_hat", "open": "open_hat",
    "pedal": "pedal_hat", "tom 1": "high_tom", "tom 2": "mid_tom", "tom 3": "low_tom", "crash": "crash", "crash left": "crash",
    "crash right": "crash", "grab left": "crash", "grab right": "crash", "ride": "ride", "bell": "ride_bell", "cowbell": "cowbell",
    "tambourine": "tambourine", "clap": "clap",
}  # fmt: skip
LANGUAGES: dict[str, dict[str, str | tuple[str, ...]]] = {
    "English": {
        "kick": "Kick", "snare": "Snare", "rim": "Snare Rimshot", "stick": "Snare Crossstick", "closed": "Hihat Closed", "open": "Hihat Open",
        "pedal": "Hihat Pedal", "tom 1": "Hi Tom", "tom 2": "Mid Tom", "tom 3": "Floor Tom", "crash": "Crash", "crash left": "Left Crash",
        "crash right": "Right Crash", "grab left": "Left Crash Choke", "grab right": "Right Crash Choke", "ride": "Ride", "bell": "Ride Bell",
        "cowbell": "Cowbell", "tambourine": "Tambourine", "clap": "Clap", "left": "Left", "right": "Right",
        "strengths": ("Tap", "Light", "Moderate", "Strong", "Brutal"), "layer": "Level", "take": "Alt",
    },
    "short": {
        "kick": "BDR", "snare": "SNR", "rim": "SNRrim", "stick": "XSTK", "closed": "HHC", "open": "HHO", "pedal": "HHP", "tom 1": "RT1",
        "tom 2": "RT2", "tom 3": "FLT", "crash": "CRS", "crash left": "CRS-L", "crash right": "CRS-R", "grab left": "CRS-L-Chk",
        "grab right": "CRS-R-Chk", "ride": "RDE", "bell": "RDEbell", "cowbell": "CWB", "tambourine": "TMB", "clap": "CLP", "left": "L",
        "right": "R", "strengths": ("pp", "p", "mf", "f", "ff"), "layer": "Ly", "take": "Rr",
    },
    "Spanish": {
        "kick": "Bombo", "snare": "Tarola", "rim": "Tarola Aro", "stick": "Tarola Baqueta Cruzada", "closed": "Contratiempo Cerrado",
        "open": "Contratiempo Abierto", "pedal": "Contratiempo Pie", "tom 1": "Tom Agudo", "tom 2": "Tom Medio", "tom 3": "Tom de Piso",
        "crash": "Platillo Crash", "crash left": "Crash Izquierdo", "crash right": "Crash Derecho", "grab left": "Crash Izquierdo Ahogado",
        "grab right": "Crash Derecho Ahogado", "ride": "Platillo Ride", "bell": "Ride Campana", "cowbell": "Cencerro",
        "tambourine": "Pandereta", "clap": "Palmada", "left": "Izq", "right": "Der", "strengths": ("Suave", "Medio", "Fuerte"),
        "layer": "Capa", "take": "Toma",
    },
    "Portuguese": {
        "kick": "Bumbo", "snare": "Caixa", "rim": "Caixa Aro", "stick": "Caixa Baqueta Lateral", "closed": "Chimbal Fechado",
        "open": "Chimbal Aberto", "pedal": "Chimbal Pedal", "tom 1": "Tom 1", "tom 2": "Tom 2", "tom 3": "Surdo", "crash": "Prato de Ataque",
        "crash left": "Ataque Esquerdo", "crash right": "Ataque Direito", "grab left": "Ataque Esquerdo Abafado",
        "grab right": "Ataque Direito Abafado", "ride": "Prato de Conducao", "bell": "Conducao Cupula", "cowbell": "Cencerro",
        "tambourine": "Pandeirola", "clap": "Palma", "left": "Esq", "right": "Dir", "strengths": ("Fraco", "Medio", "Forte"),
        "layer": "Camada", "take": "Tomada",
    },
    "French": {
        "kick": "Grosse Caisse", "snare": "Caisse Claire", "rim": "Caisse Claire Cercle", "stick": "Baguette Couchee", "closed": "Charley Ferme",
        "open": "Charley Ouvert", "pedal": "Charley Pied", "tom 1": "Tom Aigu", "tom 2": "Tom Medium", "tom 3": "Tom Basse",
        "crash": "Cymbale Crash", "crash left": "Crash Gauche", "crash right": "Crash Droite", "grab left": "Crash Gauche Etouffee",
        "grab right": "Crash Droite Etouffee", "ride": "Cymbale Ride", "bell": "Ride Cloche", "cowbell": "Cloche", "tambourine": "Tambourin",
        "clap": "Claquement", "left": "Gauche", "right": "Droite", "strengths": ("Faible", "Moyen", "Fort"), "layer": "Couche",
        "take": "Prise",
    },
    "Italian": {
        "kick": "Grancassa", "snare": "Rullante", "rim": "Rullante Bordo", "stick": "Rullante Bacchetta", "closed": "Charleston Chiuso",
        "open": "Charleston Aperto", "pedal": "Charleston Piede", "tom 1": "Tom Alto", "tom 2": "Tom Medio", "tom 3": "Timpano",
        "crash": "Piatto Crash", "crash left": "Crash Sinistro", "crash right": "Crash Destro", "grab left": "Crash Sinistro Stoppato",
        "grab right": "Crash Destro Stoppato", "ride": "Piatto Ride", "bell": "Ride Campana", "cowbell": "Campanaccio",
        "tambourine": "Cembalo", "clap": "Battimani", "left": "Sx", "right": "Dx", "strengths": ("Piano", "Mezzo", "Forte"),
        "layer": "Livello", "take": "Ripresa",
    },
    "German": {
        "kick": "Basstrommel", "snare": "Kleine Trommel", "rim": "Kleine Trommel Randschlag", "stick": "Kleine Trommel Seitschlag",
        "closed": "Hihat Zu", "open": "Hihat Auf", "pedal": "Hihat Getreten", "tom 1": "Hochtom", "tom 2": "Mitteltom", "tom 3": "Standtom",
        "crash": "Crashbecken", "crash left": "Crashbecken Links", "crash right": "Crashbecken Rechts",
        "grab left": "Crashbecken Links Gestoppt", "grab right": "Crashbecken Rechts Gestoppt", "ride": "Ridebecken", "bell": "Ridebecken Glocke",
        "cowbell": "Kuhglocke", "tambourine": "Schellenring", "clap": "Klatschen", "left": "Li", "right": "Re",
        "strengths": ("Leise", "Mittel", "Laut"), "layer": "Stufe", "take": "Aufnahme",
    },
    "Polish": {
        "kick": "Centralka", "snare": "Werbel", "rim": "Werbel Obrecz", "stick": "Werbel Rant", "closed": "Hihat Zamkniety", "open": "Hihat Otwarty",
        "pedal": "Hihat Noga", "tom 1": "Tom Wysoki", "tom 2": "Tom Sredni", "tom 3": "Tom Stojacy", "crash": "Crash", "crash left": "Crash Lewy",
        "crash right": "Crash Prawy", "grab left": "Crash Lewy Tlumiony", "grab right": "Crash Prawy Tlumiony", "ride": "Ride",
        "bell": "Ride Dzwonek", "cowbell": "Krowi Dzwonek", "tambourine": "Tamburyn", "clap": "Klaskanie", "left": "Lewy", "right": "Prawy",
        "strengths": ("Cicho", "Srednio", "Glosno"), "layer": "Warstwa", "take": "Ujecie",
    },
    "Czech": {
        "kick": "Kopak", "snare": "Virbl", "rim": "Virbl Rafek", "stick": "Virbl Palicka", "closed": "Hihat Zavrena", "open": "Hihat Otevrena",
        "pedal": "Hihat Noha", "tom 1": "Vysoky Tom", "tom 2": "Stredni Tom", "tom 3": "Kotel", "crash": "Crash", "crash left": "Crash Levy",
        "crash right": "Crash Pravy", "grab left": "Crash Levy Tlumeny", "grab right": "Crash Pravy Tlumeny", "ride": "Ride",
        "bell": "Ride Pupek", "cowbell": "Zvonec", "tambourine": "Tamburina", "clap": "Tlesk", "left": "Levy", "right": "Pravy",
        "strengths": ("Slabe", "Stredne", "Silne"), "layer": "Vrstva", "take": "Zaber",
    },
    "Russian": {
        "kick": "Бочка", "snare": "Малый", "rim": "Малый Обод", "stick": "Малый Палочка", "closed": "Хэт Закрытый", "open": "Хэт Открытый",
        "pedal": "Хэт Педаль", "tom 1": "Высокий Том", "tom 2": "Средний Том", "tom 3": "Напольный Том", "crash": "Крэш",
        "crash left": "Крэш Левый", "crash right": "Крэш Правый", "grab left": "Крэш Левый Глушеный", "grab right": "Крэш Правый Глушеный",
        "ride": "Райд", "bell": "Райд Купол", "cowbell": "Ковбелл", "tambourine": "Бубен", "clap": "Хлопок", "left": "Лев", "right": "Прав",
        "strengths": ("Тихо", "Средне", "Громко"), "layer": "Слой", "take": "Дубль",
    },
    "Croatian": {
        "kick": "Bas Bubanj", "snare": "Dobos", "rim": "Dobos Rub", "stick": "Dobos Palica", "closed": "Fus Zatvoren", "open": "Fus Otvoren",
        "pedal": "Fus Nozno", "tom 1": "Visoki Tom", "tom 2": "Srednji Tom", "tom 3": "Duboki Tom", "crash": "Crash Cinela",
        "crash left": "Lijevi Crash", "crash right": "Desni Crash", "grab left": "Lijevi Crash Prigusen", "grab right": "Desni Crash Prigusen",
        "ride": "Ride Cinela", "bell": "Ride Zvono", "cowbell": "Kravlje Zvono", "tambourine": "Tamburin", "clap": "Pljesak", "left": "Lijevo",
        "right": "Desno", "strengths": ("Tiho", "Srednje", "Glasno"), "layer": "Sloj", "take": "Snimak",
    },
    "Swedish": {
        "kick": "Bastrumma", "snare": "Virvel", "rim": "Virvel Kant", "stick": "Virvel Kantslag", "closed": "Hihat Stangd", "open": "Hihat Oppen",
        "pedal": "Hihat Fot", "tom 1": "Hog Puka", "tom 2": "Mellanpuka", "tom 3": "Golvpuka", "crash": "Crashcymbal",
        "crash left": "Vanster Crash", "crash right": "Hoger Crash", "grab left": "Vanster Crash Dampad", "grab right": "Hoger Crash Dampad",
        "ride": "Ridecymbal", "bell": "Ride Klocka", "cowbell": "Koklocka", "tambourine": "Tamburin", "clap": "Handklapp", "left": "Vanster",
        "right": "Hoger", "strengths": ("Svagt", "Mellan", "Starkt"), "layer": "Lager", "take": "Tagning",
    },
    "slang": {
        "kick": "BassD", "snare": "Backbeat Snare", "rim": "Backbeat Snare Rim", "stick": "Snare Click", "closed": "Hats Tight", "open": "Hats Washy",
        "pedal": "Hats Foot Chick", "tom 1": "Tom 10", "tom 2": "Tom 12", "tom 3": "Tom 16", "crash": "Big Crash", "crash left": "Crash A",
        "crash right": "Crash B", "grab left": "Crash A Grab", "grab right": "Crash B Grab", "ride": "Dark Ride", "bell": "Dark Ride Bell",
        "cowbell": "Cow Bell", "tambourine": "Tamb", "clap": "Claps", "left": "LH", "right": "RH",
        "strengths": ("Whisper", "Easy", "Solid", "Smack"), "layer": "Dyn", "take": "Go",
    },
    "studio": {
        "kick": "Kik 22", "snare": "Snare 14x5", "rim": "Snare 14x5 Rim", "stick": "Snare 14x5 Xstick", "closed": "Hats 14 Shut", "open": "Hats 14 Open",
        "pedal": "Hats 14 Ped", "tom 1": "Rack 10", "tom 2": "Rack 12", "tom 3": "Floor 16", "crash": "Crash 18", "crash left": "Crash 16",
        "crash right": "Crash 19", "grab left": "Crash 16 Choked", "grab right": "Crash 19 Choked", "ride": "Ride 20 Bow", "bell": "Ride 20 Cup",
        "cowbell": "CowBell", "tambourine": "Tambo", "clap": "HandClap", "left": "Lft", "right": "Rgt",
        "strengths": ("Soft", "MedSoft", "MedHard", "Hard"), "layer": "Vel", "take": "Rnd",
    },
}  # fmt: skip
MORE_LANGUAGES: dict[str, dict[str, str | tuple[str, ...]]] = {  # which came later; the reader's tables know next to nothing of them
    "Esperanto": {
        "kick": "Bastamburo", "snare": "Tamburego", "rim": "Tamburego Rando", "stick": "Tamburego Bastono", "closed": "Cxapelo Fermita",
        "open": "Cxapelo Malfermita", "pedal": "Cxapelo Pedalo", "tom 1": "Tomo Alta", "tom 2": "Tomo Meza", "tom 3": "Tomo Basa", "crash": "Krasxo",
        "crash left": "Krasxo Maldekstra", "crash right": "Krasxo Dekstra", "grab left": "Krasxo Maldekstra Haltigita",
        "grab right": "Krasxo Dekstra Haltigita", "ride": "Rajdo", "bell": "Rajdo Sonorilo", "cowbell": "Bovosonorilo",
        "tambourine": "Tamburino", "clap": "Manfrapo", "left": "Mald", "right": "Deks", "strengths": ("Mallauta", "Meza", "Lauta"),
        "layer": "Tavolo", "take": "Prenu",
    },
    "Basque": {
        "kick": "Bonboa", "snare": "Kaxa", "rim": "Kaxa Ertza", "stick": "Kaxa Makila", "closed": "Txarles Itxita", "open": "Txarles Irekita",
        "pedal": "Txarles Oinez", "tom 1": "Tom Goikoa", "tom 2": "Tom Erdikoa", "tom 3": "Tom Lurrekoa", "crash": "Talka", "crash left": "Talka Ezker",
        "crash right": "Talka Eskuin", "grab left": "Talka Ezker Itoa", "grab right": "Talka Eskuin Itoa", "ride": "Ride Platera",
        "bell": "Ride Kanpaia", "cowbell": "Joarea", "tambourine": "Panderoa", "clap": "Txaloa", "left": "Ezk", "right": "Esk",
        "strengths": ("Ahul", "Ertain", "Indartsu"), "layer": "Geruza", "take": "Hartualdi",
    },
    "Welsh": {
        "kick": "Drwm Bas", "snare": "Drwm Gwifr", "rim": "Drwm Gwifr Ymyl", "stick": "Drwm Gwifr Ffon", "closed": "Het Caeedig", "open": "Het Agored",
        "pedal": "Het Troed", "tom 1": "Tom Uchel", "tom 2": "Tom Canol", "tom 3": "Tom Llawr", "crash": "Symbal Crash", "crash left": "Crash Chwith",
        "crash right": "Crash Dde", "grab left": "Crash Chwith Tagu", "grab right": "Crash Dde Tagu", "ride": "Symbal Ride", "bell": "Ride Cloch",
        "cowbell": "Cloch Buwch", "tambourine": "Tambwrin", "clap": "Clapio", "left": "Chw", "right": "Dde",
        "strengths": ("Distaw", "Canolig", "Cryf"), "layer": "Haen", "take": "Cynnig",
    },
    "Estonian": {
        "kick": "Basstrumm", "snare": "Soolotrumm", "rim": "Soolotrumm Serv", "stick": "Soolotrumm Pulk", "closed": "Haihat Kinni",
        "open": "Haihat Lahti", "pedal": "Haihat Jalg", "tom 1": "Tomm Korge", "tom 2": "Tomm Keskmine", "tom 3": "Porandatomm", "crash": "Taldrik",
        "crash left": "Taldrik Vasak", "crash right": "Taldrik Parem", "grab left": "Taldrik Vasak Summutatud",
        "grab right": "Taldrik Parem Summutatud", "ride": "Saatetaldrik", "bell": "Saatetaldrik Kelluke", "cowbell": "Lehmakell",
        "tambourine": "Tamburiin", "clap": "Plaks", "left": "Vas", "right": "Par", "strengths": ("Vaikne", "Kesk", "Vali"), "layer": "Kiht",
        "take": "Votte",
    },
    "English, otherwise": {
        "kick": "Bass Drum 24x16", "snare": "Piccolo Snare", "rim": "Piccolo Snare Rim Shot", "stick": "Piccolo Snare Cross Stick",
        "closed": "Hi Hat Tip Closed", "open": "Hi Hat Full Open", "pedal": "Hi Hat Pedal", "tom 1": "Tom One", "tom 2": "Tom Two", "tom 3": "Tom Three",
        "crash": "Paper Thin Crash", "crash left": "Crash Hihat Side", "crash right": "Crash Ride Side", "grab left": "Crash Hihat Side Choked",
        "grab right": "Crash Ride Side Choked", "ride": "Ride Bow", "bell": "Ride Bell", "cowbell": "Salsa Cowbell", "tambourine": "Tambourine Hit",
        "clap": "Clap Group", "left": "L.Hand", "right": "R.Hand", "strengths": ("Butterfly", "Stroll", "March", "Stampede"), "layer": "Step",
        "take": "Cycle",
    },
}  # fmt: skip
PLACES = (  # of microphones, in words of a language or of a place
    ("Close", "Room"), ("In", "Out"), ("Spot", "Overs", "Far"), ("Dir", "OH", "Amb"), ("Near", "Ceiling"), ("Mono", "Wide"), ("Front", "Back"),
    ("Direct", "Corridor"), ("D", "R"), ("Cerca", "Lejos"), ("Proche", "Loin"), ("Nah", "Fern"), ("Blizko", "Daleko"), ("Stool", "Hall"),
    ("DynMic", "Ribbon", "Tube"), ("Head", "Shell"), ("Mic1", "Mic2"), ("A", "B"), ("ch1", "ch2", "ch3"), ("Kit", "Balcony"),
    ("OHL", "OHR"), ("Left OH", "Right OH"), ("room-L", "room-R"),
)  # fmt: skip
SEPARATORS = ("_", "-", " ", ".", "~", "+", "__", " - ", "--", ",", "=", "@", "")
BRACKETS = (("(", ")"), ("[", "]"), ("{", "}"), ("<", ">"))
PREFIXES = ("ZR{n:04}", "Track{n:02}", "{n:03}", "TAPE-{n:04}", "rec{n}", "STE-{n:03}")
EXTRAS = (
    "Maple",
    "Birch",
    "Vintage",
    "Sticks",
    "HotRods",
    "7A",
    "Nylon",
    "Felt",
    "24b",
    "48k",
    "Dry Kit",
    "KitB",
    "Session3",
    "Dampened",
)
NUMERALS = ("one", "two", "three", "four", "five", "six")


@dataclass(frozen=True)
class Named:
    """A set of files, and the truth about each."""

    what: str
    files: dict[str, tuple[Truth, File]]
    kinds: dict[str, str]  # of its pads


@dataclass(frozen=True)
class _Way:
    """One convention."""

    language: str
    pads: tuple[str, ...]
    layers: int
    takes: int
    mics: tuple[str, ...]
    name: Callable[[Truth, int], str]


def named_set(seed: int, source: str = SOURCE) -> Named:
    chance = np.random.default_rng([seed, 2026])
    way = _way(chance, source, has_more=seed % 10_000 >= FIRST_OF_MORE_LANGUAGES)
    files: dict[str, tuple[Truth, File]] = {}
    number = int(chance.integers(1, 400))
    for pad in way.pads:
        for layer in range(way.layers):
            for take in range(way.takes):
                heard, force = _heard(source, pad, seed % 4, layer, way.layers, take), float(chance.normal(0, 0.6))
                for place, mic in enumerate(way.mics):
                    truth = Truth(pad, layer, take, mic)
                    name = way.name(truth, number)
                    if name in files:
                        return named_set(seed + 10_000, source)  # two files of one name are no set
                    level = heard.level_db + force - 7 * place
                    files[name] = (
                        truth,
                        File(
                            name,
                            replace(heard, level_db=level, peak_db=heard.peak_db + force - 7 * place),
                            "",
                            1,
                            44_100,
                            20_000,
                        ),
                    )
                number += 1
    order = chance.permutation(len(files))
    items = list(files.items())
    return Named(way.language, dict(items[i] for i in order), {pad: KINDS[pad] for pad in way.pads})


def _way(chance: np.random.Generator, source: str, *, has_more: bool) -> _Way:
    known = {**LANGUAGES, **MORE_LANGUAGES} if has_more else LANGUAGES
    language = str(chance.choice(list(known)))
    words = known[language]
    here = {shot.kind for shot in one_shots(source)}
    possible = [pad for pad in SHOTS if set(SHOTS[pad]) & here]
    pads = [pad for pad in possible if pad in ("kick", "snare") or chance.random() < 0.42]
    if any(pad.endswith(("left", "right")) for pad in pads):
        pads = [pad for pad in pads if pad != "crash"]
        pads += [pad for pad in ("crash left", "crash right") if pad not in pads]
    strengths = words["strengths"]
    how = str(
        chance.choice(
            ["words", "words", "label", "label", "number", "letters", "range", "top", "of", "percent", "down"]
        )
    )
    layers = len(strengths) if how == "words" else int(chance.integers(2, 6))
    takes = int(chance.integers(2, 6))
    mics = tuple(PLACES[int(chance.integers(len(PLACES)))]) if chance.random() < 0.4 else ("",)
    counts = str(chance.choice(["label", "label", "number", "letters", "numerals", "of", "hands", "copies"]))
    if counts == "letters" and how == "letters":
        counts = "number"
    if counts == "hands":
        takes = 2 * max(1, takes // 2)
        pads = [pad for pad in pads if not pad.endswith(("left", "right"))] or ["snare"]
    if mics in (("A", "B"), ("D", "R")) and "letters" in (how, counts):
        mics = ("Close", "Room")
    width = int(chance.choice([1, 2, 2, 3]))
    case = [str, str, str.lower, str.upper][int(chance.integers(4))]

    def layer_text(layer: int) -> str:
        tops = [round(127 * (n + 1) / layers) for n in range(layers)]
        if how == "words":
            return strengths[layer]
        if how == "range":
            return f"{1 + (tops[layer - 1] if layer else 0):03}-{tops[layer]:03}"
        return {
            "label": f"{words['layer']}{layer + 1:0{width}}", "number": f"{layer + 1:0{width}}", "letters": "ABCDEF"[layer],
            "top": f"{tops[layer]:03}", "of": f"{layer + 1}of{layers}", "percent": f"{round(100 * (layer + 1) / layers)}%",
            "down": f"{words['layer']}{layers - layer}",
        }[how]  # fmt: skip

    def take_text(take: int) -> str:
        if counts == "hands":
            own = words[("left", "right")[take % 2]]
            return f"{own}{take // 2 + 1}" if takes > 2 else str(own)
        if counts == "copies":
            return "" if take == 0 else "copy" if take == 1 else f"copy {take}"
        return {
            "label": f"{words['take']}{take + 1:0{width}}", "number": f"{take + 1:0{width}}", "letters": "abcdef"[take],
            "numerals": NUMERALS[take], "of": f"{take + 1}of{takes}",
        }[counts]  # fmt: skip

    order = [str(one) for one in chance.permutation(["pad", "layer", "take", "mic"])]
    if counts == "copies":
        order = [one for one in order if one != "take"] + ["take"]
    if how in ("number", "letters") and counts in (
        "number",
        "letters",
    ):  # two bare marks: what is said of the drum stands first
        order = ["pad", *[one for one in order if one != "pad"]]
    in_folders = int(chance.choice([0, 0, 0, 1, 2]))
    joins = [str(one) for one in chance.choice(SEPARATORS[:-1], 3)]
    if chance.random() < 0.5:
        joins = [joins[0]] * 3
    if how == "range":
        joins = ["_" if join in ("-", "--", " - ") else join for join in joins]
    inner = str(chance.choice(["", "_", " ", "-"]))
    bracket = str(chance.choice(["layer", "take", "mic"])) if chance.random() < 0.25 else ""
    opens, closes = BRACKETS[int(chance.integers(len(BRACKETS)))]
    prefix = str(chance.choice(PREFIXES)) if chance.random() < 0.2 else ""
    extra = str(chance.choice(EXTRAS)) if chance.random() < 0.35 else ""

    def name(truth: Truth, number: int) -> str:
        texts = {
            "pad": str(words[truth.pad]).replace(" ", inner), "layer": layer_text(truth.layer), "take": take_text(truth.take),
            "mic": truth.mic,
        }  # fmt: skip
        if bracket and texts[bracket]:
            texts[bracket] = opens + texts[bracket] + closes
        rows = [case(texts[one]) for one in order if texts[one]]
        folders = (
            [rows.pop(0) for _ in range(min(in_folders, len(rows) - 1))]
            if order[0] == "pad" or counts != "copies"
            else []
        )
        if extra:
            rows.insert(min(1, len(rows)), case(extra))
        if prefix:
            rows.insert(0, prefix.format(n=number))
        text = rows[0]
        for at, row in enumerate(rows[1:]):
            text += joins[at % 3] + row
        return "/".join([*folders, text + ".wav"])

    return _Way(f"{language}, {how}, {counts}", tuple(pads), layers, takes, mics, name)


@cache
def _heard(source: str, pad: str, which: int, layer: int, layers: int, take: int) -> Measure:
    chance = np.random.default_rng([which, list(SHOTS).index(pad)])
    like = {"grab left": "crash left", "grab right": "crash right", "rim": "snare"}.get(pad, pad)
    shots = [shot for shot in one_shots(source) if shot.kind in SHOTS[pad]]
    place = {"crash left": 0, "crash right": 1}.get(like, which)
    shot, player = shots[place % len(shots)], Player.drawn(np.random.default_rng([which, list(SHOTS).index(like)]), 0.6)
    if pad == "rim":
        player = replace(player, semitones=player.semitones + 1.5, tilt=player.tilt + 0.4)
    if pad.startswith("grab"):
        player = replace(player, damping=0.12)
    chance = np.random.default_rng([which, list(SHOTS).index(pad), layer, take])
    return measure(hit(shot, player, (layer + 1) / layers, chance), 44_100)
