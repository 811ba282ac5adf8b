"""Cases of rules that the core and the page both have: one file for each rule, which the tests of both read."""

import json
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).resolve().parents[3] / "frontend" / "tests" / "cases"


def cases(name: str) -> dict[str, Any]:
    return json.loads((FOLDER / f"{name}.json").read_text("utf-8"))
