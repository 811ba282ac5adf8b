"""What the page tells with its requests beside their values, by one table for both sides: ``frontend/headers.json``."""

import json
from pathlib import Path

from django.http import HttpRequest

_TABLE = Path(__file__).resolve().parents[2] / "frontend" / "headers.json"
HEADERS: dict[str, str] = {name: header for name, (header, _) in json.loads(_TABLE.read_text()).items()}


def told(request: HttpRequest, name: str, default: str = "") -> str:
    """name : as the table calls it"""
    return request.headers.get(HEADERS[name], default)
