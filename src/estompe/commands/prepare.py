"""`estompe prepare`: compile the kernels for this machine, so that the first start is quick."""

import argparse
import time

HELP = "compile the kernels for this machine, so that the first start is quick"
_SAMPLE = "lantern-amphora"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("--first", action="store_true", help="only what the first picture of a sample needs")


def run(chosen: argparse.Namespace) -> None:
    """Run the command."""
    if chosen.first:
        took = _first_picture()
        print(f"the first picture is ready ({took:.0f} s)")
        return
    from estompe.precompile import prepare

    took = prepare()
    print(f"the kernels are ready ({took:.0f} s)")


def _first_picture() -> float:
    """Compute what the window shows of the first sample. Returns the seconds it took."""
    from estompe.evaluation.background.answers import Request, compute_answer
    from estompe.evaluation.running.memo import Memo
    from estompe.samples import sample

    began = time.perf_counter()
    project = sample(_SAMPLE).build()
    shape, falloff = project.scene.shapes[0].id, project.scene.falloffs[0].id
    compute_answer(Request(project, project.scene.first, shape, falloff), Memo())
    return time.perf_counter() - began
