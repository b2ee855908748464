"""The reference's pictures, which ship with the application."""

from functools import lru_cache
from importlib import resources

from PyQt6.QtGui import QPixmap

from estompe.setups import own
from estompe.setups.catalog import OWN


def picture_of(name: str) -> QPixmap:
    """The picture of an entry by family and tag; an empty one where there is none."""
    if name.startswith(f"recipe:{OWN}"):
        # It may have been kept anew since.
        return QPixmap(str(own.folder() / f"{name.removeprefix(f'recipe:{OWN}')}.png"))
    return _shipped(name)


@lru_cache(256)
def _shipped(name: str) -> QPixmap:
    made = QPixmap()
    file = resources.files("estompe.app") / "pictures" / f"{name.replace(':', '-')}.png"
    if file.is_file():
        made.loadFromData(file.read_bytes())
    return made
