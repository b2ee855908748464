"""What kinds see of a scene while they are evaluated.

What a kind looks at besides its settings it declares; `Context` hands out nothing else, so that no change is missed.
"""

from collections.abc import Callable
from typing import Any, Literal, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix, inverse
from estompe.kernels.types import Floats

ControlForm = Literal["sphere", "box", "plane", "cylinder", "path", "wind"]


class CannotEvaluateError(LookupError):
    """A kind that cannot be evaluated, such as one that refers to something missing; the text says what and what to do."""


class UndeclaredError(RuntimeError):
    """A kind asked for something it did not declare: a mistake in the kind, not in the scene."""


class Blowing(NamedTuple):
    """What a wind is on a frame. speed: scene units a second; gusts, swirl: shares of it; size: of a gust, pace: how fast gusts
    travel, scene units a second; within: the falloff that says where it blows; seconds: the time."""

    speed: float
    gusts: float
    swirl: float
    size: float
    pace: float
    seed: int
    within: str | None
    seconds: float


class Placed:
    """A control as kinds see it.

    matrix, to_local: local space to world and back, float64 (3, 4); points: a path's, float32 (k, 3), local space; blowing:
    of a wind, whose direction is its own X axis.
    """

    __slots__ = ("blowing", "form", "matrix", "points", "to_local")

    def __init__(self, form: ControlForm, matrix: Matrix, points: Floats, blowing: Blowing | None = None) -> None:
        self.form, self.matrix, self.points, self.blowing = form, matrix, points, blowing
        self.to_local: Matrix = inverse(matrix)


class Eye(NamedTuple):
    """The camera: its position and target, float64 (3,), and the picture's height in degrees.

    up: float64 (3,), None where Y is up. aspect: the film's width through its height, 0 where it has none of its own; offset:
    of the film, in halves of its height; clipping: the distances between which something is seen, scene units; parallel: the
    height of what an orthographic camera sees, scene units, 0 for any other.
    """

    position: NDArray[np.float64]
    target: NDArray[np.float64]
    view_angle: float
    up: NDArray[np.float64] | None = None
    aspect: float = 0.0
    offset: tuple[float, float] = (0.0, 0.0)
    clipping: tuple[float, float] | None = None
    parallel: float = 0.0


class Context(Protocol):
    """What a kind may ask while it is evaluated; only what it declared.

    Raises CannotEvaluateError for what is missing and UndeclaredError for what was not declared.
    """

    clock: float
    """The time that matters, as the kind's `clock` gave it."""
    domain: Domain
    """What the current strengths are of: points, faces or pieces."""
    go_on: Callable[[], None]
    """Raises when the work is no longer wanted; to be called between the rounds of what takes long."""

    @property
    def shape_matrix(self) -> Matrix:
        """Local space of the current shape to world, float64 (3, 4); effects may always ask, sources declare "matrix"."""

    @property
    def shape_color(self) -> tuple[float, float, float]:
        """The current shape's colour; declared as "color"."""

    def control(self, control: str, frames: float = 0.0) -> Placed:
        """A control by id; frames: one of `other_frames`."""

    def elements(self, frames: float) -> Elements:
        """The same elements on another frame, one of `other_frames`; a source that reads "points" may ask."""

    def strength(self, falloff: str, frames: float = 0.0) -> Floats:
        """Another falloff's strength on the same elements, float32 (n,); frames: one of `other_frames`."""

    def shape(self, shape: str) -> Geometry:
        """Another shape after all its effects, in world space."""

    def matrix_of(self, shape: str) -> Matrix:
        """Where another shape stands, its local space to world, float64 (3, 4)."""

    def color_of(self, shape: str) -> tuple[float, float, float]:
        """The colour of another shape."""

    def effect(self, effect: str) -> Any:
        """The settings of another effect by id, with plain numbers."""

    def footage(self, file: str) -> Any:
        """An animated file (`estompe.importing.footage.Footage`), by a setting whose editor is "footage"."""

    def array(self, asset: str) -> NDArray[Any]:
        """An array that is stored beside the scene, by its content address."""

    def number(self, parts: tuple[str, ...]) -> float:
        """A number of the scene by its dotted name, as formulas use it."""

    def camera(self) -> Eye:
        """The scene's camera; declared as "camera"."""

    @property
    def rough(self) -> float:
        """How many times as large voxels may be: 1, or more while something is dragged; declared as "rough"."""

    @property
    def detail(self) -> float | None:
        """The finest detail of an effect's falloffs, scene units, None where they have none; declared as "detail"."""

    @property
    def margin(self) -> Floats:
        """How far within the reach of an effect's falloffs elements are, in the unit of those, negative beyond; as "margin"."""

    @property
    def neutral(self) -> Floats:
        """The strength with which nothing happens, float32 (n,): the effect's middle, less where further routes mask it.

        Declared as "neutral", with the effect's `middle_setting`.
        """

    @property
    def places(self) -> Geometry:
        """What an effect's `places` gave."""

    @property
    def prepared(self) -> Any:
        """What an effect's `prepare` gave."""
