"""Numbers and keys in what addresses, forms and headers ask for: a person or another program may have written them."""

LONGEST = 18  # digits; a longer one is no row's key and no count
MOST_KEYS = 5000  # in one request


def number_in(text: str, default: int = 0) -> int:
    """The whole number that ``text`` is, from 0 up; ``default`` where it is none."""
    text = text.strip()
    return int(text) if text.isascii() and text.isdecimal() and len(text) < LONGEST else default


def ids_in(text: str) -> list[int]:
    """``"3, 5,x"`` -> 3, 5"""
    return keys_of(text.split(","))


def keys_of(texts: list[str]) -> list[int]:
    numbers = (number_in(text, -1) for text in texts)
    return [number for number in numbers if number >= 0][:MOST_KEYS]
