"""The lines of full, half and gone on a surface: which of them lies at the pointer, and pulling one along with the range."""

from typing import Literal, NamedTuple

import numpy as np

from estompe.app import units
from estompe.app.session import Session
from estompe.document.edits import ScenePath
from estompe.document.scene import Falloff, Ramp, Range
from estompe.evaluation.background.answers import Answer
from estompe.falloffs.ramp import drawn
from estompe.geometry import Domain
from estompe.kinds.numbers import plain
from estompe.render import Viewpoint
from estompe.render.item import Hit

End = Literal["full", "half", "gone"]
WORDS: dict[End, str] = {"full": "full within", "half": "half strength", "gone": "gone beyond"}
_NEAR = 5.0
_STEPS = 513


class Contour(NamedTuple):
    """A line on the surface. value: of the joined layers along it; at: of the place where it was found."""

    falloff: str
    end: End
    value: float
    at: float

    @property
    def words(self) -> str:
        """What pulling it does."""
        return f"drag {WORDS[self.end]} {units.shown(self.value, 'length')}"


def values_of(within: Range, ramp: Ramp, signed: bool) -> dict[End, float]:
    """Where in the measured values the lines of a resolved falloff lie; half only where the ramp goes through it."""
    full, gone = plain(within.full), plain(within.gone)
    found: dict[End, float] = {"full": full, "gone": gone}
    shares = np.linspace(0.0, 1.0, _STEPS, dtype=np.float32)
    strengths = drawn(np.float32(full) + shares * np.float32(gone - full), within, ramp, signed)
    crossed = np.flatnonzero((strengths[:-1] - 0.5) * (strengths[1:] - 0.5) <= 0)
    if len(crossed) and strengths[crossed[0]] != strengths[crossed[0] + 1]:
        index = int(crossed[0])
        part = (0.5 - strengths[index]) / (strengths[index + 1] - strengths[index])
        found["half"] = full + (gone - full) * (index + float(part)) / (_STEPS - 1)
    return found


def contour_at(
    answer: Answer, hit: Hit, viewpoint: Viewpoint, value: float, size: tuple[float, float]
) -> Contour | None:
    """The line that passes within a few pixels of a place where the joined layers have a value; None where none does."""
    shown = answer.shown.get(hit.id)
    if shown is None or shown.domain is not Domain.POINT or shown.mesh.component == "copies" or hit.copy is not None:
        return None
    geometry = answer.frame[hit.id]
    triangles = geometry.topology.triangles
    if hit.triangle >= len(triangles) or len(shown.values) != len(geometry.points):
        return None
    corners = triangles[hit.triangle]
    pixels, _ = viewpoint.project(geometry.points[corners].astype(np.float64), *size)
    slope = _slope(pixels, shown.values[corners].astype(np.float64))
    falloff = shown.falloff
    lines = values_of(falloff.range, falloff.ramp, falloff.signed)
    distances: dict[End, float] = {end: abs(line - value) / max(slope, 1e-12) for end, line in lines.items()}
    nearest = min(distances, key=distances.__getitem__)
    return Contour(falloff.id, nearest, lines[nearest], value) if distances[nearest] <= _NEAR else None


def _slope(pixels: np.ndarray, values: np.ndarray) -> float:
    """How fast values change over the picture within a triangle, per pixel."""
    edges, steps = pixels[1:] - pixels[0], values[1:] - values[0]
    if abs(np.linalg.det(edges)) < 1e-9:
        return 0.0
    return float(np.linalg.norm(np.linalg.solve(edges, steps)))


class Pull:
    """One pull of a line; it is one step of undo. moved(value): the joined layers where the line should now lie."""

    def __init__(self, session: Session, contour: Contour, falloff: Falloff) -> None:
        self._session, self.contour = session, contour
        self._full, self._gone = plain(falloff.range.full), plain(falloff.range.gone)

    def moved(self, value: float) -> None:
        """Let the range follow."""
        contour, session = self.contour, self._session
        path = ("falloffs", contour.falloff, "range")
        step = value - contour.at
        changes = {"full": self._full + step, "gone": self._gone + step}
        if contour.end != "half":
            changes = {contour.end: changes[contour.end]}
        label = f"Set {session.document.name_of(path[:2])} {WORDS[contour.end]}"
        numbers: list[tuple[ScenePath, float]] = [((*path, end), round(to, 4)) for end, to in changes.items()]
        session.numbers.set_numbers(numbers, label, ("contour", contour.falloff, contour.end))
