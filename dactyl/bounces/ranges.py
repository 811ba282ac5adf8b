"""Answer a request for a file, whole or one range of it (RFC 9110, section 14), and stream folders as zips."""

import io
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path

from django.http import FileResponse, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils.http import content_disposition_header

BLOCK = 1 << 18
TYPES = {".wav": "audio/wav", ".flac": "audio/flac"}
_ONE_RANGE = re.compile(r"bytes=(\d{0,15})-(\d{0,15})")


def file_response(request: HttpRequest, path: Path, *, name: str, as_attachment: bool) -> HttpResponseBase:
    """The file at ``path``; a single byte range where one is asked for, 416 where it lies outside."""
    size = path.stat().st_size
    content_type = TYPES.get(path.suffix, "application/octet-stream")
    asked = _ONE_RANGE.fullmatch(request.headers.get("Range", ""))
    if not asked or asked.groups() == ("", ""):
        response = FileResponse(path.open("rb"), as_attachment=as_attachment, filename=name, content_type=content_type)
    else:
        first, last = asked.groups()
        start = int(first) if first else max(0, size - int(last))
        stop = min(size, int(last) + 1) if first and last else size
        if start >= stop:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
        response = StreamingHttpResponse(_read(path, start, stop), status=206, content_type=content_type)
        response["Content-Length"] = stop - start
        response["Content-Range"] = f"bytes {start}-{stop - 1}/{size}"
        response["Content-Disposition"] = content_disposition_header(as_attachment, name)
    response["Accept-Ranges"] = "bytes"
    return response


def _read(path: Path, start: int, stop: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(start)
        while start < stop and (block := file.read(min(BLOCK, stop - start))):
            start += len(block)
            yield block


class _Sink(io.RawIOBase):
    """Takes what the zip writer writes, to be drained after each block."""

    def __init__(self) -> None:
        self._blocks: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data) -> int:
        self._blocks.append(bytes(data))
        return len(data)

    def drain(self) -> bytes:
        drained, self._blocks = b"".join(self._blocks), []
        return drained


def zip_blocks(files: list[Path], folder: str) -> Iterator[bytes]:
    """A zip of ``files``, stored, made while it is sent: nothing is written to disk."""
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        for path in files:
            info = zipfile.ZipInfo.from_file(path, f"{folder}/{path.name}")
            with path.open("rb") as source, archive.open(info, "w", force_zip64=True) as target:
                while block := source.read(BLOCK):
                    target.write(block)
                    yield sink.drain()
    yield sink.drain()
