"""What is wrong with a scene on a frame."""

from typing import NamedTuple

from estompe.document.edits import ScenePath


class Problem(NamedTuple):
    """Something that is wrong: the path of the part, what a person should know, and whether the frame may be exported."""

    path: ScenePath
    text: str
    blocks: bool = True


class Problems:
    """Problems by the part they are about; the newest of each part counts."""

    def __init__(self) -> None:
        self._found: dict[ScenePath, Problem] = {}

    def add(self, path: ScenePath, text: str) -> None:
        """Take note of a problem."""
        self._found[path] = Problem(path, text)

    def all(self) -> tuple[Problem, ...]:
        """All of them."""
        return tuple(self._found.values())
