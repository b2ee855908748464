"""Press down: strands and other rooted pieces lean out of a body, each from its root, and keep their length."""

from collections.abc import Mapping
from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.effects.pressing import PressingEffect
from estompe.geometry import Domain, Geometry
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting

Vectors = NDArray[np.float64]
_STEPS, _HALVINGS = 24, 7
"""How many angles are tried from upright on, and how often the first free one is halved towards the last that is not."""


@register
class PressDown(PressingEffect, tag="press-down"):
    """Each piece rotates about its root, away from the middle of the body, by the least angle at which none of it is inside.

    The angle is found by trying angles in order and halving the last step. A piece whose root is inside, or that no angle frees,
    leans as far as it may.
    """

    alters: ClassVar[tuple[str, ...]] = ("points", "normals")
    recolors: ClassVar[bool | None] = False
    on_strands: ClassVar[Mapping[str, Any] | None] = {}
    label: ClassVar[str] = "Press down"
    text: ClassVar[str] = "A control or shape presses strands down; they lean from their roots and keep their length."
    words: ClassVar[str] = (
        "trample, flatten, grass, hair, bend down, step on, collide, crush, lay down, push over, tread, path through, fur"
    )

    most: Annotated[
        Number,
        setting(
            "Greatest angle", "How far a piece may lean: more lets it lie flatter.", unit="degrees", low=0.0, high=170.0
        ),
    ] = 100.0

    def is_identity(self) -> bool:
        return plain(self.most) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        of, points = geometry.pieces.of, geometry.points
        roots = samples_of(geometry, Domain.PIECE).positions.astype(np.float64)
        if not geometry.is_parted:
            # A shape that is one piece stands on its lowest point.
            roots = points[np.argmin(points[:, 1])][None].astype(np.float64)
        reached = self.touch(points, context, 0.0).depth > 0.0
        touched = np.unique(of[reached & (strength > 0.0)])
        if not len(touched):
            return geometry
        members = np.flatnonzero(np.isin(of, touched))
        place = np.zeros(len(roots), np.int64)
        place[touched] = np.arange(len(touched))
        leaning = _Leaning(points[members].astype(np.float64), place[of[members]], roots[touched])
        leaning.turn_away_from(self._middle(context))
        angles = self._least_angles(leaning, context)
        moved = points.copy()
        moved[members] = leaning.at(angles, strength[members])
        return geometry.moved(moved)

    def _least_angles(self, leaning: "_Leaning", context: Context) -> Vectors:
        """The least angle at which each piece is out of the body, radians, float64 (k,)."""
        most = float(np.radians(plain(self.most)))
        everywhere = np.ones(len(leaning.of), np.float32)
        free, held = np.full(leaning.count, most), np.zeros(leaning.count)
        searching = np.ones(leaning.count, np.bool_)
        for step in range(1, _STEPS + 1):
            context.go_on()
            angle = most * step / _STEPS
            inside = self._pieces_inside(leaning, np.where(searching, angle, free), everywhere, context)
            freed = searching & ~inside
            free[freed], searching = angle, searching & inside
            held[searching] = angle
            if not searching.any():
                break
        held = np.minimum(held, free)
        for _ in range(_HALVINGS):
            middle = 0.5 * (free + held)
            inside = self._pieces_inside(leaning, middle, everywhere, context)
            held, free = np.where(inside, middle, held), np.where(inside, free, middle)
        return free

    def _pieces_inside(
        self, leaning: "_Leaning", angles: Vectors, strength: Floats, context: Context
    ) -> NDArray[np.bool_]:
        depth = self.touch(leaning.at(angles, strength), context, 0.0).depth
        return np.asarray(np.bincount(leaning.of[depth > 0.0], minlength=leaning.count) > 0)

    def _middle(self, context: Context) -> Vectors:
        if self.shape is not None:
            low, high = context.shape(self.shape).bounds
            return np.asarray((low.astype(np.float64) + high) / 2)
        return np.asarray(context.control(self.control or "").matrix[:, 3])


class _Leaning:
    """Points of pieces that rotate about their roots.

    of: int64 (n,), the piece of each point; count: how many pieces there are.
    """

    def __init__(self, points: Vectors, of: Indices | NDArray[np.int64], roots: Vectors) -> None:
        self.of, self.count = of, len(roots)
        self._roots = roots
        self._arms = points - roots[of]
        self._axes = np.zeros_like(roots)

    def turn_away_from(self, middle: Vectors) -> None:
        """Let each piece rotate about an axis across its own direction, so that its tip goes away from a place."""
        longest = np.zeros(self.count)
        lengths = np.linalg.norm(self._arms, axis=1)
        np.maximum.at(longest, self.of, lengths)
        tips = np.zeros_like(self._roots)
        at_tip = lengths >= longest[self.of] * (1.0 - 1e-6)
        tips[self.of[at_tip]] = self._arms[at_tip]
        ways = tips / np.maximum(np.linalg.norm(tips, axis=1, keepdims=True), 1e-12)
        away = self._roots - middle
        away -= ways * np.einsum("ij,ij->i", away, ways)[:, None]
        # Right below the middle any side will do, but always the same one.
        under = np.linalg.norm(away, axis=1) < 1e-6 * np.maximum(longest, 1e-9)
        away[under] = np.cross(ways[under], (0.0, 0.0, 1.0)) + np.cross(ways[under], (0.0, 1e-3, 0.0))
        axes = np.cross(ways, away)
        self._axes = axes / np.maximum(np.linalg.norm(axes, axis=1, keepdims=True), 1e-12)

    def at(self, angles: Vectors, strength: Floats) -> Floats:
        """Where the points are after a rotation of each piece, by the point's strength, float32 (n, 3) (Rodrigues 1840)."""
        turn, axes = angles[self.of] * strength, self._axes[self.of]
        cosine, sine = np.cos(turn)[:, None], np.sin(turn)[:, None]
        along = np.einsum("ij,ij->i", axes, self._arms)[:, None]
        rotated = self._arms * cosine + np.cross(axes, self._arms) * sine + axes * along * (1.0 - cosine)
        return np.asarray(self._roots[self.of] + rotated, np.float32)
