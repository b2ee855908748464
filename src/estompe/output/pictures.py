"""A shot as numbered pictures, from where an earlier run of the same job stopped."""

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


def file_of(pattern: Path, number: int) -> Path:
    """The picture of a frame."""
    return pattern.with_name(numbered(pattern.name, number))


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
        save(painted, path, {"framesPerSecond": project.scene.frames_per_second, "frame": frame}, full_float)
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
) -> Written:
    """Draw frames into files such as `shot.####.exr`; files that an earlier run of the same job wrote are left alone.

    `progress` may raise to cancel; what was written by then stays. Raises ExchangeError, and RenderError where nothing can be
    drawn.
    """
    check_target(pattern, first, last, settings.layers)
    check_pictures_not_read(project, pattern, first, last)
    past = past_of(project) if past is None else past
    job = job_of(project, (settings, full_float, pattern.name))
    left = Estimate(last - first + 1)
    made = there = 0
    with only_run(pattern), Painter(project, settings, past) as painter:
        progressing = Progressing(pattern.with_name(f".{pattern.name}.json"), job)
        for number in range(first, last + 1):
            file = file_of(pattern, number)
            fraction = (number - first) / (last - first + 1)
            if progressing.is_finished(number) and file.exists():
                there += 1
                left.skip()
                continue
            words = f"frame {number} of {first}–{last}{left.words}"
            progress(fraction, words)
            painted = painter.paint(number, lambda fraction=fraction, words=words: progress(fraction, words))  # type: ignore[misc]
            save(painted, file, {"framesPerSecond": project.scene.frames_per_second, "frame": number}, full_float)
            progressing.finish(number)
            left.step()
            made += 1
        progressing.done()
    progress(1.0, "done")
    return Written(made, there)
