"""Ruffle: cores' time of a step, areas beside what is asked, and triangles that cross, on three sheets."""

import time
from collections.abc import Callable, Iterator

import numpy as np
from tests.crossings import crossings

from bench.figures import Figure
from estompe.geometry import Geometry
from estompe.geometry.ruffle.sheet import First, Growth, Sheet, advanced, begun
from estompe.kernels.surface import tree_of
from estompe.kernels.types import Floats
from estompe.shapes import primitives

_Strength = Callable[[Floats], np.ndarray]


def figures() -> Iterator[Figure]:
    """All of them."""
    yield from _case("half of a sheet", 50, _half, 0.02, 52)
    yield from _case("fast", 40, _half, 0.08, 16)
    yield from _case("a spot", 40, _spot, 0.03, 40)
    yield from _alike()


def _half(rest: Floats) -> np.ndarray:
    return np.clip((rest[:, 0] + 0.1) / 0.6, 0.0, 1.0)


def _spot(rest: Floats) -> np.ndarray:
    return np.clip(1.0 - np.hypot(rest[:, 0], rest[:, 2]) / 0.35, 0.0, 1.0)


def _steps(
    mesh: Geometry, strength: np.ndarray, rate: float, thickness: float, steps: int
) -> Iterator[tuple[Sheet, float]]:
    """The sheets one after the other, and the cores' milliseconds of each step."""
    triangles = mesh.topology.triangles
    tree = tree_of(mesh.rest, triangles, mesh.at_rest.triangle_order(mesh.topology))
    first = First(mesh.rest.astype(np.float64), triangles, tree)
    growth = Growth(rate, 9.0, thickness, 0.05, 1)
    sheet = begun(mesh)
    for _ in range(steps):
        began = time.process_time()
        sheet = advanced(sheet, first, strength.astype(np.float32), growth, lambda p, v, _part: (p, v), lambda: None)
        yield sheet, (time.process_time() - began) * 1000.0


def _area(places: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    a, b, c = (places[triangles[:, k]] for k in range(3))
    return np.asarray(0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1))


def _case(name: str, across: int, strength_of: _Strength, rate: float, steps: int) -> Iterator[Figure]:
    mesh = primitives.grid(1.0, 1.0, across, across)
    strength = strength_of(mesh.rest)
    first = _area(mesh.points.astype(np.float64), mesh.topology.triangles)
    per = strength[mesh.topology.triangles].mean(axis=1)
    crossing, off, count, taken = 0, 0.0, 0, 0.0
    for number, (sheet, milliseconds) in enumerate(_steps(mesh, strength, rate, 1.0 / across, steps), 1):
        asked = float((first * np.exp(2.0 * rate * number * per)).sum())
        off = max(off, abs(float(_area(sheet.places, sheet.triangles).sum()) / asked - 1.0))
        crossing += crossings(sheet.places, sheet.triangles)
        count, taken = len(sheet.places), milliseconds
    yield Figure(f"triangles that cross on all frames, {name} (bar: none)", float(crossing), 1e-9, 1.0, "within", "")
    yield Figure(f"area off what is asked at worst, {name} (bar: 3 %)", off, 0.03, 1.0, "within", "")
    per_points = taken * 10_000 / count
    yield Figure(
        f"cores' time of a step for 10,000 points, from {count:,}, {name} (bar: 190 ms)",
        per_points,
        190.0,
        1.0,
        "within",
    )


def _alike() -> Iterator[Figure]:
    """Two meshes of one sheet: areas, and how far folds are apart, by the wavelength of heights along the free edge."""
    areas, folds = [], []
    for across in (40, 57):
        mesh = primitives.grid(1.0, 1.0, across, across)
        sheet = list(_steps(mesh, _half(mesh.rest), 0.02, 1.0 / 40, 40))[-1][0]
        areas.append(float(_area(sheet.places, sheet.triangles).sum()))
        folds.append(_fold_length(sheet))
    yield Figure(
        "areas of two meshes of one sheet, off by (bar: 10 %)", abs(areas[1] / areas[0] - 1.0), 0.1, 1.0, "within", ""
    )
    yield Figure("lengths of their folds, off by (bar: 10 %)", abs(folds[1] / folds[0] - 1.0), 0.1, 1.0, "within", "")


def _fold_length(sheet: Sheet) -> float:
    """The mean way across the folds, scene units: that between sign changes of the height, over the right half."""
    places = sheet.places[sheet.places[:, 0] > 0.2]
    lengths = []
    for left in np.arange(0.2, 0.5, 0.03):
        strip = places[(places[:, 0] >= left) & (places[:, 0] < left + 0.03)]
        heights = strip[np.argsort(strip[:, 2]), 1]
        smooth = np.convolve(heights - heights.mean(), np.ones(5) / 5.0, "valid")
        changes = int(np.count_nonzero(np.diff(np.sign(smooth)) != 0))
        lengths.append(float(np.ptp(strip[:, 2])) / max(changes, 1))
    return float(np.mean(lengths))
