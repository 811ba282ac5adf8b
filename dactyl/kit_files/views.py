"""Kit files: opened in the background, taken away as a package."""

from collections.abc import Callable
from pathlib import Path
from tempfile import NamedTemporaryFile

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.bounce.order import safe_name
from dactyl.core.bounce.source import SOUNDFONT
from dactyl.core.errors import KitError, KitFileError
from dactyl.core.formats.sf2.lost import lost_by_a_soundfont
from dactyl.jobs.run import cancel, latest
from dactyl.kit_files import edits
from dactyl.kit_files.packing import described, pack_kit
from dactyl.kit_files.queries import FONT, by_cause, font_names, font_of
from dactyl.kits.models import Kit, KitFile
from dactyl.kits.values import whole_kit_value
from dactyl.shelf import store
from dactyl.web.attached import attached
from dactyl.web.request_values import ids_in


@require_POST
def open_file(request: HttpRequest) -> HttpResponse:
    """Take a kit file; it is opened in the background."""
    upload = request.FILES.get("file")
    if upload is None:
        raise KitFileError(
            "No file was chosen.", "Choose a kit package, a zip of an SFZ and its samples, or a SoundFont.", file="Kit"
        )
    if not upload.name.lower().endswith((".zip", SOUNDFONT)):
        raise KitFileError(
            "It is neither a zip nor a SoundFont (.sf2).",
            "Put an .sfz file and its samples in one zip.",
            file=upload.name[:120],
        )
    if upload.size > settings.MAX_ZIP_BYTES:
        raise KitFileError("It is too large.", "Split the kit.", file=upload.name[:120])
    return render(request, "kit_files/_kit_file.html", {"file": edits.receive(upload)})


@require_GET
def opening(request: HttpRequest, kit_file_id: int) -> HttpResponse:
    return opening_of(request, kit_file_id)


def opening_of(request: HttpRequest, kit_file_id: int) -> HttpResponse:
    """How far the opening of a kit file has come."""
    row = get_object_or_404(KitFile.objects.select_related("job", "kit"), pk=kit_file_id)
    return render(request, "kit_files/_kit_file.html", {"file": row})


@require_POST
def open_again(request: HttpRequest, kit_file_id: int) -> HttpResponse:
    """Try to open a file again that is still here."""
    edits.try_again(get_object_or_404(KitFile, pk=kit_file_id))
    return opening_of(request, kit_file_id)


@require_POST
def leave_out(request: HttpRequest, kit_file_id: int) -> HttpResponse:
    edits.leave_out(get_object_or_404(KitFile.objects.select_related("job"), pk=kit_file_id))
    return HttpResponse()


@require_GET
def about_package(request: HttpRequest, kit_id: int) -> HttpResponse:
    """What a package of the kit holds, and what its SFZ can't."""
    kit = get_object_or_404(Kit, pk=kit_id)
    value, samples, text = described(whole_kit_value(kit.pk))
    size = sum(store.whole_path(sample.sha256).stat().st_size for sample in samples)
    context = {
        "kit": kit, "samples": samples, "not_held": by_cause(text.not_held), "size_bytes": size,
        "lost": lost_by_a_soundfont(value), "font": font_of(kit),
    }  # fmt: skip
    return render(request, "kit_files/_package.html", context)


@require_GET
def package(request: HttpRequest, kit_id: int) -> HttpResponseBase:
    kit = get_object_or_404(Kit, pk=kit_id)
    return packed(lambda path: pack_kit(whole_kit_value(kit.pk), path), kit.name)


@require_GET
def font(request: HttpRequest, kit_id: int) -> HttpResponse:
    """How far the SoundFont of a kit has come."""
    return font_asked(request, kit_id)


@require_POST
def write_font(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Have a kit written as a SoundFont in the background."""
    edits.write_font(get_object_or_404(Kit, pk=kit_id))
    return font_asked(request, kit_id)


@require_POST
def cancel_font(request: HttpRequest, kit_id: int) -> HttpResponse:
    if (job := latest(FONT, kit_id)) is not None:
        cancel(job)
    return font_asked(request, kit_id)


def font_asked(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return render(request, "kit_files/_font.html", {"kit": kit, "font": font_of(kit)})


@require_GET
def soundfont(request: HttpRequest, kit_id: int) -> HttpResponseBase:
    """The SoundFont that was written of a kit."""
    kit = get_object_or_404(Kit, pk=kit_id)
    try:
        opened = (store.incoming_folder() / font_names(kit.pk)[0]).open("rb")
    except OSError:
        raise KitError("This SoundFont is no longer here. Write it again.") from None
    return attached(opened, f"{safe_name(kit.name)}{SOUNDFONT}", "application/octet-stream")


@require_POST
def choose(request: HttpRequest, kit_file_id: int) -> HttpResponse:
    """Open some kits of a file that holds several: ``kit``, numbers from 0; or ``all=1``."""
    row = get_object_or_404(KitFile, pk=kit_file_id)
    numbers = range(len(row.choices))
    wanted = set(ids_in(",".join(request.POST.getlist("kit"))))
    chosen = list(numbers) if request.POST.get("all") else [number for number in numbers if number in wanted]
    if not chosen:
        raise KitFileError("None of its kits is chosen.", "Choose one, or open all.", file=row.name)
    edits.choose(row, chosen)
    return opening_of(request, kit_file_id)


def packed(write: Callable[[Path], object], name: str) -> FileResponse:
    """A package that is written for this answer alone."""
    with NamedTemporaryFile(dir=settings.DATA / "incoming", suffix=".zip", delete=False) as file:
        path = Path(file.name)
    try:
        write(path)
        opened = path.open("rb")
    finally:
        path.unlink(missing_ok=True)  # the open file stays readable until it is sent
    return attached(opened, f"{safe_name(name)}.zip", "application/zip")
