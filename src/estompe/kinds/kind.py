"""Kinds of sources, effects and shapes: what a built-in one and one of a plug-in have in common.

A kind is a frozen struct with its settings. What it looks at besides them it declares: arrays by `reads`, other parts of the
scene by settings that refer to them.
"""

from collections.abc import Callable, Iterable, Mapping
from typing import Any, ClassVar, Literal, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.part import Part

ActsOn = Literal["points", "faces", "pieces"]
EVERY_ELEMENT: tuple[ActsOn, ...] = ("points", "faces", "pieces")
Join = Literal["multiply", "add", "subtract", "larger", "smaller", "replace"]
EVERYTHING = ("points", "normals", "rest", "attributes", "topology")
"""The arrays of a state that have a token of their own."""
READABLE = (*EVERYTHING, "matrix", "camera", "color", "rough", "detail", "margin", "neutral")
"""What a kind may declare in `reads`."""


class Prepared(Protocol):
    """What an effect prepares: something that says how large it is and lists its arrays."""

    @property
    def nbytes(self) -> int:
        """Bytes."""

    def arrays(self) -> Iterable[NDArray[Any]]:
        """Its arrays."""


class Shell(NamedTuple):
    """What the two ends of a range are drawn around: a control by id, and the axis of it that is swept, or None."""

    control: str
    axis: int | None = None


class PosedJoint(NamedTuple):
    """A joint by id: its posed position, float64 (3,), and the rotation it inherits, float64 (3, 3), in local space."""

    id: str
    position: NDArray[np.float64]
    rotation: NDArray[np.float64]


class Kind(Part, tag_field="kind"):
    """What sources, effects and shape sources have in common."""

    label: ClassVar[str]
    """The name in the window."""
    text: ClassVar[str]
    """One sentence that says what it does."""
    group: ClassVar[str] = "other"
    """The heading it stands under where kinds are listed."""
    words: ClassVar[str] = ""
    """Other words that people search for when they mean it, separated by commas."""

    def reads(self) -> tuple[str, ...]:
        """What decides the result besides settings and references: some of `READABLE`."""
        return ("points",)

    def clock(self, seconds: float, frame: float) -> float:
        """The time that matters to the result; constant for a kind that does not change by itself."""
        del seconds, frame
        return 0.0

    middle_setting: ClassVar[str] = ""
    """The setting of an effect that says which strength of the first route moves nothing; with "neutral" in `reads`."""
    speed_setting: ClassVar[str] = ""
    """The setting that says how fast it changes by itself; where that is keyed or a formula, `paced` is asked."""

    def paced(self, phase_at: Callable[[float], float], frame: float) -> tuple["Kind", float]:
        """The kind, and its clock, on a frame of a shot in which its speed changes.

        phase_at: the integral of the speed over the time up to a frame, so that what has passed does not change with the speed.
        """
        return self, phase_at(frame)

    def check(self) -> None:
        """Raise ValueError for settings that are wrong together; limits of single ones are checked already."""


class Source(Kind):
    """What a falloff's layer measures."""

    first_join: ClassVar[Join] = "multiply"
    """How a new layer of this kind joins the ones above it."""
    painted: ClassVar[str] = ""
    """The setting that holds a painted mask, if there is one."""
    of_others: ClassVar[bool] = False
    """Whether the shape that it names must be another one than the one that is measured."""
    first_range: ClassVar[tuple[float, float] | None] = None
    """Full and gone of a new layer of this kind; None for those of its unit."""
    limits: ClassVar[tuple[float, float] | None] = None
    """The least and the largest value that it can measure, where its kind has such; None for what has to be measured."""
    has_pattern: ClassVar[bool] = False
    """Whether it is a pattern over space that a small picture can show: it asks for the time and its own matrix alone."""

    def unit(self) -> str:
        """The unit of the measured values, as `setting` names units."""
        return ""

    def shell(self) -> Shell | None:
        """What full and gone are drawn around in the view, if that can be drawn."""
        return None

    def detail(self) -> float | None:
        """The size of the finest detail in its values, scene units; None where that is not known."""
        return None

    def other_frames(self) -> tuple[float, ...]:
        """Other frames it looks at, counted from now, such as (-1.0,): what it names and reads can be asked for there."""
        return ()

    def measure(self, elements: Elements, context: Context) -> Floats:
        """The values, one per element, float32 (n,), finite."""
        raise NotImplementedError


class Effect(Kind):
    """What is done to a geometry as far as a strength says. The whole geometry decides the result."""

    group: ClassVar[str] = "deform"
    alters: ClassVar[tuple[str, ...]] = ("points", "normals")
    """What may differ in the geometry afterwards, of `EVERYTHING`; falloffs that read only the rest stay valid."""
    pivot_setting: ClassVar[str] = ""
    """The setting that holds a pivot in local space, if there is one; the view puts handles on it."""
    joints_setting: ClassVar[str] = ""
    """The setting that holds a chain of joints, if there is one."""
    carries: ClassVar[Carries] = ""
    """What happens to a face or piece it acts on: "position", also its "rotation", or "all"; `apply` is asked for places then."""
    acts: ClassVar[tuple[ActsOn, ...]] = ("points",)
    """What it can act on; what carries elements acts on all."""
    makes_pieces: ClassVar[bool] = False
    """Whether what comes out is pieces, so that effects added after it act on those at first."""
    recolors: ClassVar[bool | None] = None
    """Whether it may give colours to points or copies that have none; None for whatever alters attributes."""
    at_start: ClassVar[bool] = False
    """Whether its strengths are those of the first frame of the shot, whatever frame is asked for."""
    fed_at_first: ClassVar[bool] = True
    """Whether a new effect is fed by the current falloff; kinds that change which elements there are say no."""
    own_axes: ClassVar[bool] = False
    """Whether it makes sense about each element's own middle and along its own axes."""
    on_strands: ClassVar[Mapping[str, Any] | None] = None
    """Settings of a new effect on strands, which then acts on their points; None for one that needs none."""
    asks_places: ClassVar[bool] = False
    """Whether strengths are asked for what `places` gives, and not for the elements of the geometry."""
    prepares: ClassVar[bool] = False
    """Whether `prepare` computes a result that stays valid while only `late` settings change."""
    late: ClassVar[tuple[str, ...]] = ()
    """Settings that neither `places` nor `prepare` looks at."""

    def reads(self) -> tuple[str, ...]:
        return ()

    def gives_colors(self) -> bool:
        """Whether it may give points or copies colours on some frame, so that files hold colours on every frame."""
        return "attributes" in self.alters if self.recolors is None else self.recolors

    def is_identity(self) -> bool:
        """Whether these settings change nothing whatever the strength, so that the effect can be skipped."""
        return False

    def posed(self) -> tuple[PosedJoint, ...]:
        """The joints as posed, for the view."""
        return ()

    def bend_at(self, rest: Floats, index: int) -> Floats:
        """Degrees by which a joint is rotated, fading along its bones, float32 (n,). rest: float32 (n, 3)."""
        del rest, index
        raise CannotEvaluateError("it looks at an effect without joints: choose a Joints effect")

    @classmethod
    def able(cls) -> tuple[ActsOn, ...]:
        """What it can act on."""
        return EVERY_ELEMENT if cls.carries else cls.acts

    @classmethod
    def summary(cls, after: Geometry) -> str:
        """What the effect has to say about its result, in a few words."""
        del after
        return ""

    def repeats(self) -> int:
        """How often it is applied in a row, each time with its falloffs as they are by then."""
        return 1

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        """What strengths are asked for, for a kind that `asks_places`, in world space."""
        raise NotImplementedError

    def prepare(self, geometry: Geometry, strength: Floats, context: Context) -> Prepared:
        """What `apply` finds as `context.prepared`, for a kind that `prepares`."""
        raise NotImplementedError

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        """The geometry after the effect; arrays it leaves alone are shared.

        strength: float32 (points,), or of `context.domain` for a kind that says so in `acts`, or of what `places` gave, at least
        one; where it is 0 nothing may change, to the bit.
        """
        raise NotImplementedError


class ShapeSource(Kind):
    """What a shape is made from, in local space."""

    group: ClassVar[str] = "make"
    makes_pieces: ClassVar[bool] = False
    """Whether what comes out is pieces, so that effects act on those at first."""
    makes_copies: ClassVar[bool] = False
    """Whether what comes out is copies, which have no points of their own until somebody asks for them."""
    makes_branches: ClassVar[bool] = False
    """Whether what comes out is branches."""
    branches_setting: ClassVar[str] = ""
    """The setting that names a shape of branches, if there is one."""
    first_effects: ClassVar[Mapping[str, Mapping[str, float]]] = {}
    """The effects that a new shape begins with, by tag, with lengths among their settings as shares of its size."""
    animated: ClassVar[bool] = False
    """Whether it says in `moving` what differs from frame to frame, so that what reads the rest is not computed again."""

    def reads(self) -> tuple[str, ...]:
        return ()

    def build(self, arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        """The mesh. arrays: those stored beside the scene. Raises CannotEvaluateError where it cannot be made."""
        raise NotImplementedError

    def moving(self, context: Context) -> tuple[str, ...]:
        """What of `EVERYTHING` differs from frame to frame, for a kind that is `animated`. Nothing is read for this."""
        del context
        return ()

    def assemble(self, context: Context) -> Geometry:
        """The mesh, for a kind that refers to other parts of the scene and has no `build`."""
        del context
        raise NotImplementedError

    @classmethod
    def assembles(cls) -> bool:
        """Whether it is made by `assemble`."""
        return cls.assemble is not ShapeSource.assemble
