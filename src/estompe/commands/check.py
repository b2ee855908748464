"""`estompe check`: say everything that would fail on any frame, without writing anything."""

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from estompe.commands.errors import ProblemsError
from estompe.commands.frame_numbers import frame_numbers
from estompe.commands.shared import open_project, past_of, tell_trouble
from estompe.commands.telling import Teller

if TYPE_CHECKING:
    from estompe.document.edits import ScenePath
    from estompe.document.project import Project

HELP = "say everything that would fail on any frame"


class Listed(NamedTuple):
    """A problem in words, whether it keeps frames from being written, and the frames it is on."""

    text: str
    blocks: bool
    frames: list[float]

    @property
    def where(self) -> str:
        """The frames in short."""
        if len(self.frames) == 1:
            return f"frame {self.frames[0]:g}"
        return f"{len(self.frames)} frames from {self.frames[0]:g} to {self.frames[-1]:g}"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument("--frames", metavar="FRAMES", help="such as 1-100x10; the whole shot if left out")
    parser.add_argument("--json", action="store_true", help="the list as JSON")


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises ProblemsError where frames could not be written."""
    project = open_project(chosen.file)
    numbers = frame_numbers(chosen.frames, project.scene.first, project.scene.last)
    problems = problems_of(project, numbers, Teller())
    if chosen.json:
        listed = [{"text": item.text, "blocks": item.blocks, "frames": item.frames} for item in problems]
        print(json.dumps({"frames": len(numbers), "problems": listed}, indent=1, ensure_ascii=False))
    elif problems:
        print("\n".join(f"{item.where}: {item.text}" for item in problems))
    else:
        print(f"{len(numbers)} frames, nothing is wrong")
    blocking = [item for item in problems if item.blocks]
    if blocking:
        raise ProblemsError(f"{chosen.file}: {len(blocking)} problems keep frames from being written")


def problems_of(project: "Project", numbers: list[float], tell: Teller) -> list[Listed]:
    """All problems of frames, each once, in the order they come."""
    from estompe.baking.frames import described
    from estompe.evaluation import evaluate

    past = past_of(project, None)
    problems: dict[tuple[ScenePath, str, bool], list[float]] = {}
    for place, number in enumerate(numbers):
        tell(place / len(numbers), f"frame {number:g}")
        frame = evaluate(project, number, past.memo, None, past)
        for problem in frame.problems:
            problems.setdefault((problem.path, described(frame, problem), problem.blocks), []).append(number)
    tell(1.0, "done")
    tell_trouble(past)
    return [Listed(text, blocks, frames) for (_, text, blocks), frames in problems.items()]
