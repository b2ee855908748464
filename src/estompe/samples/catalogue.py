"""Which samples there are."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import resources

from estompe.document.project import Project
from estompe.samples import lantern_amphora


@dataclass(frozen=True)
class Sample:
    """A sample scene: its name on the command line, a title, what it shows, what builds it, and its most telling frame."""

    name: str
    title: str
    text: str
    build: Callable[[], Project]
    picture_frame: int

    def picture(self) -> bytes | None:
        """A small PNG of the scene, if it has been made."""
        file = resources.files("estompe.samples") / f"{self.name}.png"
        return file.read_bytes() if file.is_file() else None


SAMPLES = (
    Sample(
        "lantern-amphora",
        "Lantern and amphora",
        "A lantern passes; the amphora bulges towards it, and a swell lifts the quay.",
        lantern_amphora.build,
        62,
    ),
)


def sample(name: str) -> Sample:
    """A sample by name. Raises KeyError."""
    return {item.name: item for item in SAMPLES}[name]
