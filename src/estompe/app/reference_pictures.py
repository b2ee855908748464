"""The reference's pictures, which ship with the application."""

from functools import lru_cache
from importlib import resources

from PyQt6.QtGui import QPixmap


@lru_cache(256)
def picture_of(name: str) -> QPixmap:
    """The picture of a kind by family and tag; an empty one where there is none."""
    made = QPixmap()
    file = resources.files("estompe.app") / "pictures" / f"{name.replace(':', '-')}.png"
    if file.is_file():
        made.loadFromData(file.read_bytes())
    return made
