"""Other drums in the place of a piece: listed, heard in the running part, kept as one edit."""

from collections.abc import Callable, Mapping
from dataclasses import replace

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET

from dactyl.core import kit as core
from dactyl.core.errors import KitError
from dactyl.core.fields import PAD, check_one
from dactyl.core.kinds import BY_SLUG, IN_SCORE_ORDER
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.playbook import MicSound, PadTable
from dactyl.core.swap import in_place, in_words, pairs_of
from dactyl.core.thicken import Layering, phase, thickened
from dactyl.history.door import Answer
from dactyl.history.queries import reading
from dactyl.kits.models import Kit, Pad
from dactyl.kits.values import some_pads, whole_kit_value
from dactyl.kits.views.answer import kit_edit, pad_of
from dactyl.kits.views.pages import kit_page
from dactyl.shelf.sounds import prepared_sound
from dactyl.swaps import edits, pieces, shelf_drums
from dactyl.web.request_values import ids_in, number_in

ALL_KINDS, SHELF = "all", "shelf"


@require_GET
def page(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """Drums like a pad's; with ``one=1`` only this articulation is to be swapped, with ``how=with`` they are to sound along."""
    kit = get_object_or_404(Kit, pk=kit_id)
    pad = get_object_or_404(Pad.objects.select_related("piece"), pk=pad_id, kit=kit)
    is_one = request.GET.get("one") == "1"
    ours = pieces.drum_of(pad.piece_id, [pad.pk] if is_one else ())
    kind, words, of = (request.GET.get(name, "")[:80] for name in ("kind", "words", "from"))
    kinds = () if kind == ALL_KINDS else {kind} if kind in BY_SLUG else pieces.kinds_like(pad.kind)
    found = pieces.drums(kinds, words, but=pad.piece_id, kit=number_in(of)) if of != SHELF else []
    if of in ("", SHELF):
        found = [*found, *shelf_drums.shelf_drums(kinds, words)]
    own = ours.articulations if ours else []
    context = {
        "main_view": "kit",
        "how": request.GET.get("how", "")[:10],
        "pad": pad,
        "is_one": is_one,
        "ours": ours,
        "drums": [_row(own, drum) for drum in found],
        "kinds": IN_SCORE_ORDER,
        "kind": kind,
        "words": words,
        "from": of if of == SHELF else number_in(of),
        "own_mics": list(kit.mics.values_list("name", flat=True)),
        "kits": Kit.objects.filter(is_put_away=False).order_by("name"),
    }
    return kit_page(request, kit, "swap", "swaps/_swap.html", context)


def _row(own: list[pieces.Articulation], drum: pieces.Drum) -> dict:
    pairs = pairs_of(own, drum.articulations)  # what pairs wants of a pad an articulation has
    names = ({one.id: one.name for one in own}, {one.id: one.name for one in drum.articulations})
    return {
        "drum": drum,
        "pairs": "_".join(f"{pad}-{other or 0}" for pad, other in pairs.items()),
        "theirs": [[one.id, one.name] for one in drum.articulations],
        "said": "; ".join(in_words(*names, pairs)),
    }


def auditioned_drum(kit: Kit, text: str) -> Callable[[core.Kit], core.Kit] | None:
    """What ``swap=PIECE.LEVELLED.PAIRS`` lets sound in the kit's place; None where it says nothing."""
    if not text:
        return None
    try:
        _, source, pairs, gains, mic = _asked(kit, text)
    except KitError:
        return None
    return lambda value: in_place(value, source, pairs, gains, mic)


def auditioned_with(kit: Kit, text: str) -> Callable[[core.Kit], core.Kit] | None:
    """What ``with=GAIN_CENTS_DELAY_FLIP~PIECE.LEVELLED.PAIRS`` lets sound along; None where it says nothing."""
    try:
        how, (_, source, pairs, gains, _) = _asked_with(kit, text)
    except KitError:
        return None
    return lambda value: thickened(value, source, pairs, louder(how, gains))


def louder(how: Layering, gains: Mapping[int, float]) -> Layering:
    """As loud as the first, and from there as is asked."""
    return replace(how, gain_db=how.gain_db + next(iter(gains.values()), 0.0))


def _asked_with(kit: Kit, text: str) -> tuple[Layering, tuple]:
    """raises : KitError for what none can be"""
    said, _, rest = text.partition("~")
    try:
        gain_db, tune_cents, delay_ms, is_flipped = (float(part) for part in said.split("_"))
    except ValueError:
        raise KitError("How the second drum sounds did not arrive whole; choose it again.") from None
    how = Layering(gain_db, tune_cents, delay_ms, bool(is_flipped))
    for name, value in (("gain_db", gain_db), ("tune_cents", tune_cents), ("delay_ms", delay_ms)):
        check_one(PAD[name], value, "the second drum")
    return how, _asked(kit, rest)


def _asked(kit: Kit, text: str) -> tuple[pieces.Drum, core.Kit, dict[int, int | None], dict[int, float], str]:
    """The drum that comes, its kit, which pad stands for which, gains, and the one mic that comes, if it is one alone.

    text : ``PIECE.LEVELLED.PAD-PAD_PAD-PAD.MIC``
    """
    piece, levelled, said, mic, *_ = *text.split(".", 3), "", "", "", ""
    pairs = {}
    for pair in said.split("_")[:128]:
        numbers = ids_in(pair.replace("-", ","))
        if len(numbers) == 2:
            pairs[numbers[0]] = numbers[1] or None
    theirs, source = _drum_and_kit(piece)
    own = Pad.objects.filter(kit=kit, pk__in=pairs).first()
    if theirs is None or own is None:
        raise KitError("This drum is no longer there. Choose another.")
    known = {one.id for one in theirs.articulations}
    if any(other and other not in known for other in pairs.values()):
        raise KitError("This drum is not as it was when it was listed. Choose it again.")
    ours = pieces.drum_of(own.piece_id)
    gains = pieces.level_gains(ours, theirs, pairs) if levelled == "1" and ours else {}
    return theirs, source, pairs, gains, mic[:40]


def _drum_and_kit(key: str) -> tuple[pieces.Drum | None, core.Kit | None]:
    """A piece of a kit, or a group of the shelf, and the kit that holds its sounds."""
    if key.startswith(shelf_drums.PREFIX):
        return shelf_drums.shelf_drum(key) or (None, None)
    drum = pieces.drum_of(number_in(key))
    if drum is None:
        return None, None
    with reading():
        return drum, some_pads(drum.kit, [one.id for one in drum.articulations]).alone


@kit_edit
def keep(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Keep what was auditioned: ``value`` says it as the tables were asked for."""
    pad = pad_of(kit, pad_id)
    theirs, source, pairs, gains, mic = _asked(kit, request.POST.get("value", "")[:4000])
    pads = list(Pad.objects.filter(piece=pad.piece_id).select_related("piece"))
    for one in pads:
        one.kit = kit
    what = f"{f'The {mic} of ' if mic else ''}{theirs.name} of {theirs.kit_name}"
    revision = edits.swap(kit, version, pads, source, pairs, gains, what, mic)
    said = in_words(_names(pads, pairs), {one.id: one.name for one in theirs.articulations}, pairs)
    return revision, f"{revision.sentence}. {'; '.join(said)}" if revision and said else ""


def _names(pads: list[Pad], pairs: Mapping[int, int | None]) -> dict[int, str]:
    return {pad.pk: pad.full_name for pad in pads if len(pairs) > 1 or pad.pk in pairs}


@kit_edit
def thicken(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Let what was auditioned sound along for good: ``value`` says it as the tables were asked for."""
    pad = pad_of(kit, pad_id)
    how, (theirs, source, pairs, gains, _) = _asked_with(kit, request.POST.get("value", "")[:4000])
    return edits.thicken(
        kit, version, pad.piece, source, pairs, louder(how, gains), f"{theirs.name} of {theirs.kit_name}"
    )


@require_GET
def phase_of(request: HttpRequest, kit_id: int, pad_id: int) -> JsonResponse:
    """By what polarity and delay the low ends of both add most: of the hardest first takes, as they would sound together."""
    kit = get_object_or_404(Kit, pk=kit_id)
    how, (_, source, pairs, gains, _) = _asked_with(kit, request.GET.get("value", "")[:4000])
    own = next((key for key, other in pairs.items() if other), None)
    if own is None:
        raise KitError("No articulation sounds along; choose one first.")
    with reading():
        value = some_pads(kit, [own]).alone
    asked = replace(louder(how, gains), delay_ms=0.0, is_flipped=False)
    book = compile_kit(thickened(value, source, {own: pairs[own]}, asked), settings.PLAYING_RATE_HZ)
    sounds = [_hardest(pad) for pad in book.pads]
    if len(sounds) < 2 or None in sounds:
        raise KitError("One of the two has no take that can be heard.")
    found = phase(
        *(sound.gain * gain * prepared_sound(sound.recipe) for sound, gain in sounds), settings.PLAYING_RATE_HZ
    )
    return JsonResponse({"isFlipped": found.is_flipped, "delayMs": found.delay_ms, "wonDb": found.won_db})


def _hardest(pad: PadTable) -> tuple[MicSound, float] | None:
    """The first mic of a take that the hardest stroke plays, and its gain."""
    return next(
        ((region.sounds[0], region.gains[-1]) for region in pad.regions if region.sounds and region.gains[-1]), None
    )


@kit_edit
def add(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Add at the end ``piece``, a drum of another kit or of the shelf (of it what is ``shown``), or ``pads`` of another kit."""
    if pads := ids_in(request.POST.get("pads", "")):
        other = Kit.objects.filter(pads__in=pads).exclude(pk=kit.pk).first()
        if other is None:
            raise KitError("What was copied is no longer there. Copy it again.")
        with reading():
            source = some_pads(other.pk, pads).alone
        return edits.add_pieces(kit, version, source, pads)
    drum, source = _drum_and_kit(request.POST.get("piece", "")[:20])
    shown = set(ids_in(request.POST.get("shown", "")))
    own = [one.id for one in drum.articulations if not shown or one.id in shown] if drum else []
    if not own:
        raise KitError("This drum is no longer there. Choose another.")
    return edits.add_pieces(kit, version, source, own)


@kit_edit
def begin_from(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Begin an empty kit from another one: ``kit``."""
    other = get_object_or_404(Kit, pk=number_in(request.POST.get("kit", "")))
    with reading():
        source = whole_kit_value(other.pk)
    return edits.begin_from(kit, version, source)


@kit_edit
def copy_to(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """Copy the piece of a pad to the end of another kit, ``kit``; with ``move=1`` it leaves this one."""
    pad = pad_of(kit, pad_id)
    other = Kit.objects.filter(pk=number_in(request.POST.get("kit", ""))).exclude(pk=kit.pk).first()
    if other is None:
        raise KitError("Choose the kit that it goes to.")
    pads = list(Pad.objects.filter(piece=pad.piece_id).select_related("piece"))
    for one in pads:
        one.kit = kit
    is_move = request.POST.get("move") == "1"
    revision = edits.copy_to(kit, version, pads, other, is_move=is_move)
    where = "now" if is_move else "too"
    return revision, f"{pad.piece.name or pad.full_name} is in {other.name} {where}, under the free notes of its kinds."
