"""Computing a range of frames for export, with progress."""

import re
from collections.abc import Container, Iterator
from pathlib import Path

from estompe.baking.states import past_of
from estompe.document.names import untaken
from estompe.document.project import Project
from estompe.document.scene import Falloff, Shape
from estompe.evaluation import Frame, Problem, evaluate
from estompe.evaluation.frame import Shown
from estompe.evaluation.time.past import Past
from estompe.files.progress import ExchangeError, Progress, SceneProblemsError
from estompe.geometry import Domain
from estompe.kernels.types import Floats


def frames(
    project: Project, first: int, last: int, progress: Progress, past: Past | None = None, per_frame: int = 1
) -> Iterator[Frame]:
    """Evaluate a range of frames one after the other.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    first, last : int
        The frames.
    progress : callable
        Told a fraction and words; it may raise to cancel.
    past : Past, optional
        The other frames of the scene. States continue from the nearest cached one, so a bake that was stopped can be run again.
    per_frame : int
        Moments from each frame to the next, evenly apart.

    Yields
    ------
    Frame
        Each frame.

    Raises
    ------
    ExchangeError
        For a scene with problems.
    """
    past = past_of(project) if past is None else past
    count = (last - first) * per_frame + 1
    for place in range(count):
        number = first + place // per_frame + place % per_frame / per_frame
        done = place / count
        progress(done, f"frame {number:g} of {first}–{last}")
        past.report = lambda step, done=done, number=number: progress(  # type: ignore[misc]
            done, f"on the way to {number:g}: {step.frame - step.first + 1} of {step.last - step.first + 1}"
        )
        frame = evaluate(project, number, past.memo, None, past)
        check_sound(frame, "the scene cannot be baked", past)
        yield frame


def check_sound(frame: Frame, words: str, past: Past) -> None:
    """Raise SceneProblemsError for a frame with problems, unless the run goes on with them."""
    problems = tuple(described(frame, problem) for problem in frame.problems if problem.blocks)
    if problems and not past.allows_problems:
        raise SceneProblemsError(f"{words}: {problems[0]}", problems)


def described(frame: Frame, problem: Problem) -> str:
    """A problem with the name of the shape or falloff it is about."""
    if problem.path[0] == "camera":
        return f"the camera: {problem.text}"
    family, owner = str(problem.path[0]), str(problem.path[1])
    named = next(item.name for item in getattr(frame.scene, family) if item.id == owner)
    return f"“{named}”: {problem.text}"


def strengths(frame: Frame, shape: Shape) -> list[tuple[Falloff, Floats]]:
    """The falloffs that drive a shape, each with its strength on the shape's points as they are written."""
    geometry = frame[shape.id]
    found = []
    for falloff, shown in driving(frame, shape):
        values = shown.strength
        if shown.domain is not Domain.POINT:
            values = geometry.to_points(shown.domain, values)
        found.append((falloff, values))
    return found


def driving(frame: Frame, shape: Shape) -> list[tuple[Falloff, Shown]]:
    """The falloffs that drive a shape, each on what the effect that uses it acts on."""
    used = {route.falloff for slot in shape.effects for route in slot.routes}
    return [(item, frame.shown(shape.id, item.id)) for item in frame.scene.falloffs if item.id in used]


def file_word(name: str, taken: Container[str]) -> str:
    """A name of plain letters, digits and underscores that is not taken yet."""
    stem = re.sub(r"[^a-z0-9_]+", "-", name.lower()).strip("-") or "unnamed"
    return untaken(stem, taken, "-")


def strength_name(falloff: str, taken: Container[str]) -> str:
    """What the strength of a falloff is called in files of every format, by the falloff's name.

    What is no plain letter, digit or underscore becomes an underscore for each of its bytes, as in identifiers of USD.
    """
    stem = re.sub(r"[^A-Za-z0-9_]", "_", f"strength_{falloff}".encode(errors="replace").decode("latin-1"))
    return untaken(stem, taken, "_")


def check_frames(first: float, last: float) -> None:
    """Raise ExchangeError for a range that is empty or unreasonably long."""
    if last < first:
        raise ExchangeError(f"frames {first:g}-{last:g}: the last comes before the first")
    if last - first >= 1_000_000:
        raise ExchangeError(f"frames {first:g}-{last:g}: more than a million frames")


def check_folder(path: Path) -> None:
    """Raise ExchangeError where the folder a file should go to does not exist."""
    if not path.parent.is_dir():
        raise ExchangeError(f"{path}: there is no folder {path.parent}")
