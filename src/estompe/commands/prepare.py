"""`estompe prepare`: compile the kernels for this machine, so that the first start is quick."""

import argparse

HELP = "compile the kernels for this machine, so that the first start is quick"


def arguments(parser: argparse.ArgumentParser) -> None:
    """What can be said after it."""
    del parser


def run(chosen: argparse.Namespace) -> None:
    """Run the command."""
    del chosen
    from estompe.evaluation.precompile import prepare

    took = prepare()
    print(f"the kernels are ready ({took:.0f} s)")
