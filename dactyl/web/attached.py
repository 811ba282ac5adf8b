"""Files that are taken away."""

from typing import BinaryIO

from django.http import FileResponse


def attached(opened: BinaryIO, name: str, kind: str) -> FileResponse:
    return FileResponse(opened, as_attachment=True, filename=name, content_type=kind)
