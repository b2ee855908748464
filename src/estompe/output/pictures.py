"""A shot as numbered pictures, from where an earlier run of the same job stopped."""

import math
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from estompe.baking.frames import check_folder, check_frames
from estompe.baking.manifest import Progressing, job_of, only_run
from estompe.baking.states import past_of
from estompe.document.project import Project
from estompe.evaluation.time.past import Past
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.pictures import numbered
from estompe.importing.reads import check_not_read
from estompe.output.estimate import Estimate
from estompe.output.painter import Painter, Settings
from estompe.output.picture_files import ENDINGS, save


class Written(NamedTuple):
    """How many pictures a run wrote, and how many were there from an earlier one."""

    made: int
    there: int


def file_of(pattern: Path, number: float) -> Path:
    """The picture of a frame; one between whole ones has its fraction behind the number, such as `shot.0020.5.exr`."""
    if number == round(number) or "#" not in pattern.name:
        return pattern.with_name(numbered(pattern.name, number))
    whole = math.floor(number)
    fraction = f"{number - whole:.4f}".rstrip("0").removeprefix("0")
    last = pattern.name.rindex("#")
    return pattern.with_name(numbered(pattern.name[: last + 1], whole) + fraction + pattern.name[last + 1 :])


def check_target(pattern: Path, first: int, last: int, layers: tuple[str, ...] = ()) -> None:
    """Raise ExchangeError for a name that cannot be that of so many pictures with layers."""
    if pattern.suffix.lower() not in ENDINGS:
        raise ExchangeError(f"{pattern}: end it in {' or '.join(ENDINGS)}")
    if last > first and "#" not in pattern.name:
        name = f"{pattern.stem}.####{pattern.suffix}"
        raise ExchangeError(f"{pattern}: write # where the frame's number goes, such as {name}")
    check_frames(first, last)
    check_folder(pattern)
    if layers and pattern.suffix.lower() != ".exr":
        raise ExchangeError(f"{pattern}: layers need .exr, a PNG holds colours alone")


def check_pictures_not_read(project: Project, pattern: Path, first: int, last: int) -> None:
    """Raise ExchangeError where one of so many pictures is a file that the project reads."""
    check_not_read(project, (file for number in range(first, last + 1) if (file := file_of(pattern, number)).exists()))


def write_one(
    project: Project,
    frame: float,
    path: Path,
    settings: Settings,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    full_float: bool = False,
) -> None:
    """Draw one frame, which may lie between whole ones, into a file. Raises as `write` does."""
    number = round(frame)
    if frame == number:
        write(project, number, number, path, settings, progress, past, full_float)
        return
    if "#" in path.name:
        raise ExchangeError(f"{path}: frame {frame:g} is no whole one, so leave # out of the name")
    check_target(path, number, number, settings.layers)
    check_not_read(project, [path])
    past = past_of(project) if past is None else past
    with only_run(path), Painter(project, settings, past) as painter:
        painted = painter.paint(frame, lambda: progress(0.0, f"frame {frame:g}"))
        save(painted, path, full_float)
    progress(1.0, "done")


def write(
    project: Project,
    first: int,
    last: int,
    pattern: Path,
    settings: Settings,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    full_float: bool = False,
    numbers: Sequence[float] | None = None,
) -> Written:
    """Draw frames into files such as `shot.####.exr`; files that an earlier run of the same job wrote are left alone.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    first, last : int
        The frames, where no others are named.
    pattern : Path
        The files; # stands for the frame's number.
    settings : Settings
        How pictures are drawn.
    progress : callable
        Told a fraction and words; it may raise to cancel, and what was written by then stays.
    past : Past, optional
        The other frames of the scene.
    full_float : bool
        Whether colours in EXR files are 32 bit.
    numbers : sequence of float, optional
        Some frames of the sequence, in ascending order. Runs of different ones may write at once.

    Returns
    -------
    Written
        How many were written and how many were there.

    Raises
    ------
    ExchangeError
        Where the files cannot be written or the scene has problems; RenderError where nothing can be drawn on this machine.
    """
    wanted: Sequence[float] = range(first, last + 1) if numbers is None else numbers
    place = pattern
    if numbers is not None:
        first, last = math.floor(numbers[0]), math.ceil(numbers[-1])
        place = pattern.with_name(f"{pattern.name}.{numbers[0]:g}-{numbers[-1]:g}")
    check_target(pattern, first, last, settings.layers)
    check_pictures_not_read(project, pattern, first, last)
    past = past_of(project) if past is None else past
    job = job_of(project, (settings, full_float, pattern.name, None if numbers is None else tuple(numbers)))
    left = Estimate(len(wanted))
    made = there = 0
    with only_run(place), Painter(project, settings, past) as painter:
        progressing = Progressing(place.with_name(f".{place.name}.json"), job)
        for step, number in enumerate(wanted):
            file = file_of(pattern, number)
            fraction = step / len(wanted)
            if progressing.is_finished(number) and file.exists():
                there += 1
                left.skip()
                continue
            words = f"frame {number:g} of {first}–{last}{left.words}"
            progress(fraction, words)
            painted = painter.paint(number, lambda fraction=fraction, words=words: progress(fraction, words))  # type: ignore[misc]
            save(painted, file, full_float)
            progressing.finish(number)
            left.step()
            made += 1
        progressing.done()
    progress(1.0, "done")
    return Written(made, there)
