"""The contract of drawers, and where they register: a drawer draws the geometry of one component."""

from collections.abc import Callable, Iterator
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.kernels.types import Floats
from estompe.registered import Registry
from estompe.render.buffers import MeshBuffers
from estompe.render.item import Item


class Ray(NamedTuple):
    """The ray of a pixel, float64 (3,) each, and the pixel's width at distance 1, or at any where rays are parallel."""

    eye: NDArray[np.float64]
    direction: NDArray[np.float64]
    width: float
    parallel: bool = False


class Wanted(NamedTuple):
    """What a picture needs of an item.

    wire: whether edges are drawn; by_pieces: a colour for each piece; matrices: world to eye and eye to clip space, None where
    everything is drawn; height: of the picture, pixels; stand_ins: as in `Look`; ray: where only what it meets is drawn; later:
    where points or copies are on the next frame.
    """

    wire: bool = False
    by_pieces: bool = False
    matrices: tuple[Any, Any] | None = None
    height: int = 0
    stand_ins: int = 0
    ray: Ray | None = None
    later: Floats | None = None


class Batch(NamedTuple):
    """Triangles or lines that are drawn with one call.

    mesh: their buffers; array: the vertex array for a program; lines: whether they are lines; instances: how many copies are
    drawn, 0 for a plain mesh; chosen: which copies those are, int64 (instances,), None for the first ones; closed: whether backs
    cannot be seen from outside.
    """

    mesh: MeshBuffers
    array: Callable[[Any], Any]
    lines: bool = False
    instances: int = 0
    chosen: NDArray[np.int64] | None = None
    closed: bool = False


class Drawer:
    """Draws the geometry of one component; it keeps its buffers between pictures.

    uploads: names of the arrays that the last picture sent to the graphics memory; stood_in: how many copies the last picture
    showed as boxes or points.
    """

    darkens: ClassVar[bool] = True
    """Whether it takes part in ambient occlusion."""
    ability: ClassVar[str] = ""
    """What programs must be able to do besides drawing a mesh, as shaders name it."""
    uploads: list[str]
    stood_in: int = 0

    def __init__(self, context: Any) -> None:
        self.context = context
        self.uploads = []

    def follow(self, item: Item, wanted: Wanted) -> None:
        """Bring an item into the graphics memory, as far as it changed since the last picture."""
        raise NotImplementedError

    def batches(self, index: str) -> Iterator[Batch]:
        """What there is to draw over an index ("triangles" or "edges")."""
        raise NotImplementedError

    def dots(self) -> Callable[[Any], Any] | None:
        """The vertex array of what is drawn as single points, for a program; None where nothing is."""
        return None

    def has_own(self, name: str) -> bool:
        """Whether each instance has a value of that name."""
        del name
        return False

    def moves(self) -> bool:
        """Whether it is known where everything is on the next frame."""
        raise NotImplementedError

    @staticmethod
    def is_seen_from_outside(geometry: Geometry, eye: NDArray[np.float64]) -> bool:
        """Whether backs of closed forms cannot be seen from an eye."""
        del geometry, eye
        return False

    def release(self) -> None:
        """Give the graphics memory back."""
        raise NotImplementedError


_DRAWERS: Registry[type[Drawer]] = Registry("estompe.render.drawers", "estompe.drawers")


def draws(component: str) -> Callable[[type[Drawer]], type[Drawer]]:
    """Register a class as the drawer of a component."""
    return _DRAWERS.add(component)


def drawer_of(component: str) -> type[Drawer]:
    """The drawer of a component, by its name. Raises KeyError for a component that cannot be drawn."""
    return _DRAWERS[component]
