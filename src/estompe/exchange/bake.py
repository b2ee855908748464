"""Working out a range of frames and sending them out, with progress."""

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

from estompe.document.project import Project
from estompe.document.scene import Shape
from estompe.evaluate import Frame, Memo, evaluate
from estompe.exchange.errors import ExchangeError, Tell
from estompe.kernels.types import Floats

Form = Literal["usd", "obj", "ply"]


def frames(project: Project, first: int, last: int, tell: Tell) -> Iterator[Frame]:
    """Every frame from first to last, worked out one after the other. Raises ExchangeError for a scene with problems."""
    memo = Memo()
    count = last - first + 1
    for number in range(first, last + 1):
        tell((number - first) / count, f"frame {number} of {first}–{last}")
        frame = evaluate(project, number, memo, lambda: None)
        if frame.problems:
            raise ExchangeError(f"the scene cannot be baked: {described(frame, 0)}")
        yield frame


def described(frame: Frame, index: int) -> str:
    """One of a frame's problems with the name of the shape or falloff it stands at."""
    problem = frame.problems[index]
    if problem.path[0] == "camera":
        return f"the camera: {problem.text}"
    family, owner = str(problem.path[0]), str(problem.path[1])
    named = next(item.name for item in getattr(frame.scene, family) if item.id == owner)
    return f"“{named}”: {problem.text}"


def strengths(frame: Frame, shape: Shape) -> dict[str, Floats]:
    """The strength of each falloff that feeds the shape, by the falloff's name."""
    fed = {route.falloff for effect in shape.effects for route in effect.routes}
    return {item.name: frame.strength(shape.id, item.id) for item in frame.scene.falloffs if item.id in fed}


def check_frames(first: int, last: int) -> None:
    """Raise ExchangeError for a range that is empty or unreasonably long."""
    if last < first:
        raise ExchangeError(f"frames {first}-{last}: the last comes before the first")
    if last - first >= 1_000_000:
        raise ExchangeError(f"frames {first}-{last}: more than a million frames")


def check_folder(path: Path) -> None:
    """Raise ExchangeError where the folder a file should go to does not exist."""
    if not path.parent.is_dir():
        raise ExchangeError(f"{path}: there is no folder {path.parent}")
