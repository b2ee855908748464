"""What is drawn and how: items, looks, and hits under a pixel."""

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kernels.types import Floats
from estompe.render.view_transform import PLAIN, ViewTransform

Mode = Literal["shaded", "strength", "wire", "pieces"]
Picture = NDArray[np.uint8]
# The view's ground, in display values.
GROUND = (0.725, 0.710, 0.678)


class Item(NamedTuple):
    """One shape to draw. strength, range_position: float32 (points,), of copies (k,), or None where no falloff is shown on it."""

    id: str
    geometry: Geometry
    color: tuple[float, float, float]
    strength: Floats | None = None
    range_position: Floats | None = None


@dataclass(frozen=True)
class Look:
    """How a picture is drawn. background: 0..1; still: smooth edges and occlusion, at the price of time.

    stand_ins: about so many triangles of copies are drawn, small ones as boxes and points; 0 draws all. Only the view asks for
    that, and only while something moves. grid: the spacing of a grid, scene units, 0 for none, in the plane across `grid_axis`
    about `grid_centre`. light: the azimuth of a key light that stands still in the world, degrees; None lets the light come
    along with the camera. shadow: whether a still picture shows that light's shadow on the ground. view: how light is shown.
    The last ones are for the window; pictures that are written have none of them.
    """

    mode: Mode = "shaded"
    background: tuple[float, float, float] = GROUND
    still: bool = True
    occlusion: bool = True
    stand_ins: int = 0
    grid: float = 0.0
    grid_axis: int = 1
    grid_centre: tuple[float, float, float] = (0.0, 0.0, 0.0)
    light: float | None = None
    shadow: bool = False
    view: ViewTransform = PLAIN

    @property
    def is_viewed(self) -> bool:
        """Whether colours go through a view of one's own; strength is a number, and its colours stay."""
        return self.view != PLAIN and self.mode != "strength"


class Hit(NamedTuple):
    """The surface under a pixel: the item's id and the number of the triangle; of copies, in the form, and which copy it is."""

    id: str
    triangle: int
    copy: int | None = None
