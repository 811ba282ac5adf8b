"""Write every label and sentence of the pages to docs/words.md, by the file that says it, so that they can be read as a whole."""

import ast
import re
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SPOKEN = ("title", "aria-label", "placeholder", "hx-confirm", "alt")
TAG, VARIABLE = re.compile(r"\{%.*?%\}|\{#.*?#\}", re.S), re.compile(r"\{\{.*?\}\}", re.S)
IN_SCRIPTS = re.compile(
    r"""(?:say\(|textContent = |title = |label: |words: |name: |says = )\s*(["`])((?:\\.|(?!\1).)*)\1"""
)
LETTERS = re.compile(r"[A-Za-z]{2}")


class Words(HTMLParser):
    """What a template shows and speaks."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self._silent = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._silent += tag in ("script", "style")
        self.found += [value for name, value in attrs if name in SPOKEN and value]

    def handle_endtag(self, tag: str) -> None:
        self._silent -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._silent:
            self.found.append(data)


def of_template(text: str) -> Iterator[str]:
    parser = Words()
    parser.feed(VARIABLE.sub("…", TAG.sub(" ", text)))
    yield from parser.found


def of_script(text: str) -> Iterator[str]:
    for _, said in IN_SCRIPTS.findall(text):
        yield re.sub(r"\$\{[^}]*\}", "…", said)


def of_module(text: str) -> Iterator[str]:
    """What is raised as an error of ours, and strings of tables that pages show."""
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
            for argument in node.exc.args:
                yield from _text(argument)


def _text(node: ast.expr) -> Iterator[str]:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    if isinstance(node, ast.JoinedStr):
        yield "".join(str(part.value) if isinstance(part, ast.Constant) else "…" for part in node.values)


def listed() -> Iterator[tuple[Path, list[str]]]:
    """Each file, and what it says, each once, in its order."""
    sources = (
        (of_template, "dactyl/**/templates/**/*.html"),
        (of_script, "frontend/js/**/*.js"),
        (of_module, "dactyl/**/*.py"),
    )
    for read, pattern in sources:
        for path in sorted(ROOT.glob(pattern)):
            if "tests" in path.parts or "migrations" in path.parts:
                continue
            said = (re.sub(r"\s+", " ", words).strip(" …·,.;:/()") for words in read(path.read_text()))
            found = list(dict.fromkeys(words for words in said if LETTERS.search(words)))
            if found:
                yield path.relative_to(ROOT), found


def main() -> None:
    parts = ["# All words of all views\n", "Made by `docs/words.py`; … stands for what is filled in.\n"]
    for path, found in listed():
        parts += [f"\n## {path}\n", *(f"- {words}" for words in found)]
    (ROOT / "docs" / "words.md").write_text("\n".join(parts) + "\n")


if __name__ == "__main__":
    main()
