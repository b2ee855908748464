"""Names from outside made safe to keep, to print and to write."""

import re
from collections.abc import Container

LONGEST_NAME = 200
_CONTROL = re.compile(r"[\x00-\x1f\x7f-\x9f\ud800-\udfff]+")
_MISLEADING = re.compile(r"[\u200b\u200e\u200f\u2028-\u202e\u2060-\u2069\ufeff]+")
"""Signs that show nothing but turn the text around them, or hide in it."""


def clean_name(text: str, fallback: str = "unnamed") -> str:
    """A name without control, invisible and unencodable characters, at most 200 long and never empty."""
    return _CONTROL.sub(" ", _MISLEADING.sub("", text)).strip()[:LONGEST_NAME].strip() or fallback


def untaken(stem: str, taken: Container[str], joint: str) -> str:
    """A stem, or where that is taken the first of stem, joint and a number from 2 on that is free."""
    name, number = stem, 2
    while name in taken:
        name, number = f"{stem}{joint}{number}", number + 1
    return name


def is_clean(text: str) -> bool:
    """Whether a name holds nothing that cannot be printed or encoded."""
    return _CONTROL.search(text) is None


def printable(text: str) -> str:
    """Text that may go to a terminal or a log: control characters and what cannot be encoded become question marks."""
    return _CONTROL.sub("?", _MISLEADING.sub("?", text))
