"""Print one line per figure, and write them into docs/performance.md. Exits 0 whatever they say."""

import os
import platform
import re
import sys
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

from bench import cores
from bench.figures import Figure

PARTS = (
    "kernels",
    "measuring",
    "sources",
    "effects",
    "evaluation",
    "scenes",
    "large",
    "elements",
    "remembering",
    "cloth",
    "rigid",
    "branches",
    "ruffle",
    "volumes",
    "pictures",
    "shot",
    "starting",
)
PAGE = Path(__file__).resolve().parents[1] / "docs" / "performance.md"
_TABLE = re.compile(r"(<!-- figures -->\n).*?(<!-- end -->)", re.DOTALL)


def measured(parts: tuple[str, ...]) -> Iterator[Figure]:
    """The figures of some parts, each printed as soon as it is there."""
    for part in parts:
        for figure in import_module(f"bench.{part}").figures():
            name, ours, peer, ratio, bar, verdict = figure.cells()
            print(f"{name:<78} {ours:>12} {peer:>12} {ratio:>9} {bar:>9}  {verdict}", flush=True)
            yield figure


def write(figures: list[Figure]) -> None:
    """Put the table of all figures into the page."""
    machine = f"{platform.machine()}, {os.cpu_count()} cores, Python {platform.python_version()}"
    rows = ["| figure | ours | peer | ratio | bar | |", "|---|---|---|---|---|---|"]
    rows += ["| " + " | ".join(figure.cells()) + " |" for figure in figures]
    table = f"Measured on {machine}.\n\n" + "\n".join(rows) + "\n"
    page = PAGE.read_text(encoding="utf-8")
    PAGE.write_text(_TABLE.sub(lambda found: found[1] + table + found[2], page), encoding="utf-8")


if __name__ == "__main__":
    chosen = tuple(sys.argv[1:]) or PARTS
    cores.settle()
    found = list(measured(chosen))
    if chosen == PARTS:
        write(found)
