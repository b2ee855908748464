"""What all kinds of strands share: lines that live, and what they are drawn as."""

from collections.abc import Callable
from typing import Annotated, ClassVar, Literal, NamedTuple

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.carrying import axes_along
from estompe.geometry.pieces import Ids, Pieces, even_ranks
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Lines, Topology
from estompe.kernels.noise import gradient_noise
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ShapeSource
from estompe.kinds.looping import LOOP_RATE, Loop, looped, turns_in
from estompe.kinds.numbers import Number, plain
from estompe.kinds.settings import setting, whole

_SIDES = 5
_MOST_POINTS = 4_000_000
_APART = 37.0
"""How far apart the noise of two strands is taken, in cells."""


class Spines(NamedTuple):
    """The undisturbed lines: places, float32 (k, n, 3), and ids, int64 (k,); across: float32 (k, 3), a direction of their own."""

    places: Floats
    ids: Ids
    across: Floats


class StrandsSource(ShapeSource):
    """Any number of lines, each with a noise of its own that dies out at both ends. Where they run is a subclass with `spines`.

    Each strand is a piece; its middle is its root, so that scaling each by itself makes it longer or shorter.
    """

    group: ClassVar[str] = "grow"
    makes_pieces: ClassVar[bool] = True
    speed_setting: ClassVar[str] = "speed"

    lines: Annotated[int, whole("Strands", "The number of strands beside each other.", low=1, high=2000)] = 3
    points: Annotated[
        int, whole("Points", "The number of points of each strand: more bends more smoothly.", low=2, high=1000)
    ] = 48
    drawn: Annotated[
        Literal["ribbons", "tubes", "lines"],
        setting(
            "Draw as",
            "How strands are drawn: as ribbons that face the camera, five-sided tubes, or lines of one pixel.",
        ),
    ] = "ribbons"
    width: Annotated[
        Number,
        setting(
            "Width",
            "The width at the root.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.001,
            when=("drawn", ("ribbons", "tubes")),
        ),
    ] = 0.02
    tip: Annotated[
        Number,
        setting("Tip", "The width at the tip relative to the root.", unit="fraction", low=0.0, high=4.0, step=0.01,
                when=("drawn", ("ribbons", "tubes"))),
    ] = 1.0  # fmt: skip
    amplitude: Annotated[
        Number,
        setting(
            "Amplitude",
            "How far strands stray from their path: more makes them livelier.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.005,
        ),
    ] = 0.1
    size: Annotated[
        Number,
        setting("Wavelength", "The length of one sway along a strand.", unit="length", low=1e-4, high=1e5, step=0.01),
    ] = 0.4
    detail: Annotated[int, whole("Detail", "The amount of finer noise: more adds small curls.", low=1, high=6)] = 3
    speed: Annotated[
        Number,
        setting(
            "Speed",
            "How fast strands move: more moves them faster.",
            unit="per second",
            low=-100.0,
            high=100.0,
            step=0.05,
        ),
    ] = 1.0
    ends: Annotated[
        Number,
        setting("End hold", "The share at both ends where strands keep to their path: 0 leaves them loose.", unit="fraction",
                low=0.0, high=1.0, step=0.01),
    ] = 0.3  # fmt: skip
    loose: Annotated[bool, setting("Loose tip", "Whether only the root keeps to the path.", folded=True)] = False
    round: Annotated[
        Number,
        setting(
            "Roundness",
            "The motion across the main plane: 0 stays in the plane, 1 moves alike in both directions.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 1.0
    bend: Annotated[
        Number,
        setting("Bend", "The bend of the whole strand, upwards in the picture.", unit="length", step=0.01, folded=True),
    ] = 0.0
    aside: Annotated[
        Number,
        setting(
            "Side bend", "The bend of the whole strand along the other axis.", unit="length", step=0.01, folded=True
        ),
    ] = 0.0
    axes: Annotated[
        Literal["camera", "own"],
        setting("Axes", "Whether strands stray as seen from the shot's camera or along their own axes.", folded=True),
    ] = "camera"
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other strands.", low=0, high=2**31 - 1)
    ] = 1

    def reads(self) -> tuple[str, ...]:
        return ("camera",)

    loop: Loop = 0

    def clock(self, seconds: float, frame: float) -> float:
        speed = plain(self.speed)
        if self.loop and speed:
            return turns_in(self.loop, speed) * ((frame % self.loop) / self.loop)
        return speed * seconds

    def paced(self, phase_at: Callable[[float], float], frame: float) -> tuple["StrandsSource", float]:
        if not self.loop:
            return self, phase_at(frame)
        turns, clock = looped(self.loop, phase_at, frame)
        return structs.replace(self, speed=turns * LOOP_RATE / self.loop), clock

    def spines(self, context: Context) -> Spines:
        """The lines before they stray, each once. Raises CannotEvaluateError."""
        raise NotImplementedError

    def assemble(self, context: Context) -> Geometry:
        spines = self.spines(context)
        count = len(spines.ids) * self.lines
        sides = {"lines": 0, "ribbons": 2, "tubes": _SIDES}[self.drawn]
        if not count:
            raise CannotEvaluateError("there is nothing to string them between: choose shapes that have elements")
        if count * self.points * (1 + sides) > _MOST_POINTS:
            raise CannotEvaluateError(
                f"it would have {count:,} lines of {self.points} points, more than {_MOST_POINTS:,} points in all: use fewer"
            )
        places = np.repeat(spines.places, self.lines, axis=0)
        across = np.repeat(spines.across, self.lines, axis=0)
        ids = (spines.ids[:, None] * 4096 + np.arange(self.lines)).reshape(-1)
        eye = context.camera().position
        first, second = _sideways(places, across, eye, self.axes == "camera")
        strayed = self._strayed(places, ids, first, second, context.clock)
        return self._made(strayed, ids, sides, eye)

    def _strayed(self, places: Floats, ids: Ids, first: Floats, second: Floats, clock: float) -> Floats:
        count, points = places.shape[:2]
        along = np.linspace(0.0, 1.0, points, dtype=np.float32)
        lengths = np.linalg.norm(np.diff(places, axis=1), axis=2).sum(axis=1)
        profile = _profile(along, plain(self.ends), self.loose)
        offsets = np.zeros((2, count, points), np.float32)
        amplitude, speed = plain(self.amplitude), plain(self.speed)
        period = turns_in(self.loop, speed) if self.loop and speed else 0
        if amplitude:
            at = np.empty((count, points, 3), np.float32)
            at[..., 0] = along * lengths[:, None]
            at[..., 2] = 0.0
            apart = (ids % 100_003).astype(np.float32) * np.float32(_APART * plain(self.size))
            for axis in range(2):
                at[..., 1] = apart[:, None] + np.float32(7.7 * plain(self.size) * axis)
                noise = gradient_noise(
                    at.reshape(-1, 3), plain(self.size), self.detail, 0.5, 1.0, self.seed + axis, clock, period
                ).reshape(count, points)
                offsets[axis] = noise * profile * np.float32(2.0 * amplitude)
        arch = 4.0 * along * (1.0 - along)
        up, aside = plain(self.bend), plain(self.aside)
        one = offsets[0] + arch * np.float32(up)
        two = offsets[1] * np.float32(plain(self.round)) + arch * np.float32(aside)
        return np.asarray(places + first * one[..., None] + second * two[..., None], np.float32)

    def _made(self, lines: Floats, ids: Ids, sides: int, eye: NDArray[np.float64]) -> Geometry:
        count, points = lines.shape[:2]
        along = np.linspace(0.0, 1.0, points, dtype=np.float32)
        tip = plain(self.tip)
        width = np.float32(plain(self.width)) * (1.0 + (np.float32(tip) - 1.0) * along)
        topology = _topology(count, points, sides, ids, self.drawn)
        spine = lines.reshape(-1, 3)
        rings = _rings(lines, width, sides, eye)
        made = np.concatenate([spine, rings.reshape(-1, 3)]) if sides else spine
        order = np.tile(along, count)
        attributes = {
            (Domain.POINT, "order"): frozen(np.concatenate([order, np.repeat(order, sides)])),
            (Domain.POINT, "width"): frozen(
                np.concatenate([np.tile(width, count), np.repeat(np.tile(width, count), sides)]).astype(np.float32)
            ),
        }
        # Each one's Y runs along it from its root, so that it can be scaled in length by itself.
        axes = axes_along(lines[:, 1] - lines[:, 0])
        return Geometry(made, topology, attributes, Rest(frozen(made)), axes=axes)


def _sideways(places: Floats, across: Floats, eye: NDArray[np.float64], from_camera: bool) -> tuple[Floats, Floats]:
    """The two axes across each line's way at each of its points: up in the picture, and towards the eye; float32 (k, n, 3)."""
    ways = np.gradient(places, axis=1)
    ways /= np.maximum(np.linalg.norm(ways, axis=2, keepdims=True), 1e-12)
    if from_camera:
        towards = eye.astype(np.float32) - places
    else:
        towards = np.broadcast_to(across[:, None, :], places.shape)
    up = np.cross(towards, ways)
    lengths = np.linalg.norm(up, axis=2, keepdims=True)
    up = np.where(lengths > 1e-9, up / np.maximum(lengths, 1e-9), np.cross(ways, (0.0, 1.0, 0.0)))
    return up.astype(np.float32), np.cross(ways, up).astype(np.float32)


def _profile(along: Floats, ends: float, loose: bool) -> Floats:
    """How much a line strays: nothing at its ends, all of it in the middle."""
    if ends <= 0.0:
        return np.ones_like(along)
    near = np.minimum(along / np.float32(ends), 1.0)
    far = np.ones_like(along) if loose else np.minimum((1.0 - along) / np.float32(ends), 1.0)
    both = near * far
    return np.asarray(both * both * (3.0 - 2.0 * both), np.float32)


def _rings(lines: Floats, width: Floats, sides: int, eye: NDArray[np.float64]) -> Floats:
    """The points around each point of a line: both edges of a ribbon towards the eye, or the corners of a tube."""
    if not sides:
        return np.zeros((0, 3), np.float32)
    up, towards = _sideways(lines, lines[:, 0], eye, from_camera=True)
    half = (width * np.float32(0.5))[None, :, None, None]
    if sides == 2:
        turns = np.array([1.0, -1.0], np.float32)[None, None, :, None]
        return np.asarray(lines[:, :, None] + half * turns * up[:, :, None], np.float32)
    angles = np.linspace(0.0, 2 * np.pi, sides, endpoint=False, dtype=np.float32)[None, None, :, None]
    around = np.cos(angles) * up[:, :, None] + np.sin(angles) * towards[:, :, None]
    return np.asarray(lines[:, :, None] + half * around, np.float32)


_KNOWN: dict[tuple[int, int, int, str, bytes], Topology] = {}


def _topology(count: int, points: int, sides: int, ids: Ids, drawn: str) -> Topology:
    """Faces and lines of so many strands; the same object while nothing but places changes."""
    key = count, points, sides, drawn, ids.tobytes()
    if key not in _KNOWN:
        while len(_KNOWN) > 8:
            _KNOWN.pop(next(iter(_KNOWN)))
        _KNOWN[key] = _new_topology(count, points, sides, ids)
    return _KNOWN[key]


def _new_topology(count: int, points: int, sides: int, ids: Ids) -> Topology:
    spine = count * points
    total = spine * (1 + sides)
    of = np.concatenate([np.repeat(np.arange(count), points), np.repeat(np.arange(count), points * sides)]).astype(
        np.int32
    )
    weights = np.zeros(total, np.float32)
    weights[0:spine:points] = 1.0  # the root
    pieces = Pieces(frozen(of), frozen(ids), frozen(even_ranks(ids)), "strand", frozen(weights))
    lines = Lines(frozen(np.arange(spine, dtype=np.int32)), frozen(np.arange(0, spine + 1, points, dtype=np.int32)))
    corners = _faces(count, points, sides)
    offsets = np.arange(0, len(corners) + 1, 4, dtype=np.int32)
    return Topology(frozen(corners), frozen(offsets), total, pieces, lines)


def _faces(count: int, points: int, sides: int) -> Indices:
    """Quads between one ring and the next along each line."""
    if not sides:
        return np.zeros(0, np.int32)
    spine = count * points
    k, i, s = np.meshgrid(np.arange(count), np.arange(points - 1), np.arange(1 if sides == 2 else sides), indexing="ij")
    following = (s + 1) % sides
    here = spine + (k * points + i) * sides
    there = here + sides
    quads = np.stack([here + s, here + following, there + following, there + s], axis=-1)
    return np.ascontiguousarray(quads.reshape(-1), np.int32)
