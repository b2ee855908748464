"""Kinds of sources, effects and shapes register themselves here; built-in ones use the same door as a plug-in.

A kind is a frozen struct with its settings. What it looks at besides them it declares: arrays by `reads`, other parts of the
scene by settings that refer to them. `Context` hands out nothing else, so that no change is missed.
"""

from abc import ABC
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any, ClassVar, Literal, NamedTuple, Protocol, TypeAlias, TypeVar, get_type_hints

import msgspec
import numpy as np
from numpy.typing import NDArray

from estompe.document.part import Part
from estompe.document.settings import settings_of
from estompe.geometry import Domain, Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix, inverse
from estompe.kernels.types import Floats
from estompe.registered import load_kinds

ControlForm = Literal["sphere", "box", "plane", "cylinder", "path"]
ActsOn = Literal["points", "faces", "pieces"]
EVERY_ELEMENT: tuple[ActsOn, ...] = ("points", "faces", "pieces")
Join = Literal["multiply", "add", "subtract", "larger", "smaller", "replace"]
EVERYTHING = ("points", "normals", "rest", "attributes", "topology")
"""The arrays of a state that have a token of their own."""
READABLE = (*EVERYTHING, "matrix", "camera", "color", "rough", "detail", "margin")
"""What a kind may declare in `reads`."""


class CannotEvaluateError(LookupError):
    """A kind that cannot be evaluated, such as one that refers to something missing; the text says what and what to do."""


class UndeclaredError(RuntimeError):
    """A kind asked for something it did not declare: a mistake in the kind, not in the scene."""


class Prepared(Protocol):
    """What an effect prepares: something that says how large it is and lists its arrays."""

    @property
    def nbytes(self) -> int:
        """Bytes."""

    def arrays(self) -> Iterable[NDArray[Any]]:
        """Its arrays."""


class Placed:
    """A control as kinds see it.

    matrix, to_local: local space to world and back, float64 (3, 4); points: a path's, float32 (k, 3), in local space.
    """

    __slots__ = ("form", "matrix", "points", "to_local")

    def __init__(self, form: ControlForm, matrix: Matrix, points: Floats) -> None:
        self.form, self.matrix, self.points = form, matrix, points
        self.to_local: Matrix = inverse(matrix)


class Eye(NamedTuple):
    """The camera: its position and target, float64 (3,), and the picture's height in degrees.

    up: float64 (3,), None where Y is up. aspect: the film's width through its height, 0 where it has none of its own; offset:
    of the film, in halves of its height; clipping: the distances between which something is seen, scene units.
    """

    position: NDArray[np.float64]
    target: NDArray[np.float64]
    view_angle: float
    up: NDArray[np.float64] | None = None
    aspect: float = 0.0
    offset: tuple[float, float] = (0.0, 0.0)
    clipping: tuple[float, float] | None = None


class Shell(NamedTuple):
    """What the two ends of a range are drawn around: a control by id, and the axis of it that is swept, or None."""

    control: str
    axis: int | None = None


class PosedJoint(NamedTuple):
    """A joint by id: its posed position, float64 (3,), and the rotation it inherits, float64 (3, 3), in local space."""

    id: str
    position: NDArray[np.float64]
    rotation: NDArray[np.float64]


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
    def places(self) -> Geometry:
        """What an effect's `places` gave."""

    @property
    def prepared(self) -> Any:
        """What an effect's `prepare` gave."""


class Kind(Part, tag_field="kind"):
    """What sources, effects and shape sources have in common."""

    label: ClassVar[str]
    """The name in the window."""
    text: ClassVar[str]
    """One sentence that says what it does."""
    group: ClassVar[str] = "other"
    """The heading it stands under where kinds are listed."""

    def reads(self) -> tuple[str, ...]:
        """What decides the result besides settings and references: some of `READABLE`."""
        return ("points",)

    def clock(self, seconds: float, frame: float) -> float:
        """The time that matters to the result; constant for a kind that does not change by itself."""
        del seconds, frame
        return 0.0

    def check(self) -> None:
        """Raise ValueError for settings that are wrong together; limits of single ones are checked already."""


class Source(Kind):
    """What a falloff's layer measures."""

    first_join: ClassVar[Join] = "multiply"
    """How a new layer of this kind joins the ones above it."""
    painted: ClassVar[str] = ""
    """The setting that holds a painted mask, if there is one."""
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
    at_start: ClassVar[bool] = False
    """Whether its strengths are those of the first frame of the shot, whatever frame is asked for."""
    own_axes: ClassVar[bool] = False
    """Whether it makes sense about each element's own middle and along its own axes."""
    asks_places: ClassVar[bool] = False
    """Whether strengths are asked for what `places` gives, and not for the elements of the geometry."""
    prepares: ClassVar[bool] = False
    """Whether `prepare` finds out what stays the same while only `late` settings change."""
    late: ClassVar[tuple[str, ...]] = ()
    """Settings that neither `places` nor `prepare` looks at."""

    def reads(self) -> tuple[str, ...]:
        return ()

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


class UnknownKind:
    """A kind of a plug-in that is not installed: it keeps its JSON, passes things on, and is saved back as it was."""

    __struct_fields__: ClassVar[tuple[str, ...]] = ()
    group: ClassVar[str] = "other"
    alters: ClassVar[tuple[str, ...]] = ()
    first_join: ClassVar[Join] = "multiply"
    painted: ClassVar[str] = ""
    has_pattern: ClassVar[bool] = False
    pivot_setting: ClassVar[str] = ""
    joints_setting: ClassVar[str] = ""
    carries: ClassVar[Carries] = ""
    acts: ClassVar[tuple[ActsOn, ...]] = ("points",)
    makes_pieces: ClassVar[bool] = False
    at_start: ClassVar[bool] = False
    makes_copies: ClassVar[bool] = False
    animated: ClassVar[bool] = False
    own_axes: ClassVar[bool] = False
    asks_places: ClassVar[bool] = False
    prepares: ClassVar[bool] = False
    late: ClassVar[tuple[str, ...]] = ()

    def __init__(self, tag: str, raw: dict[str, Any]) -> None:
        self.tag, self.raw = tag, raw
        self._text = msgspec.json.encode(raw)

    @property
    def label(self) -> str:
        return f"“{self.tag}”"

    @property
    def text(self) -> str:
        return f"A kind that is not installed here. It is kept as it is; install the plug-in that brings “{self.tag}”."

    def __eq__(self, other: object) -> bool:
        return isinstance(other, UnknownKind) and self._text == other._text

    def __hash__(self) -> int:
        return hash(self._text)

    def reads(self) -> tuple[str, ...]:
        return ()

    def clock(self, seconds: float, frame: float) -> float:
        del seconds, frame
        return 0.0

    def check(self) -> None:
        return

    def unit(self) -> str:
        return ""

    def shell(self) -> None:
        return None

    def detail(self) -> None:
        return None

    def is_identity(self) -> bool:
        return False

    def posed(self) -> tuple[PosedJoint, ...]:
        return ()

    def repeats(self) -> int:
        return 1

    def able(self) -> tuple[ActsOn, ...]:
        return self.acts

    def summary(self, _after: Geometry) -> str:
        return ""

    def _missing(self) -> CannotEvaluateError:
        return CannotEvaluateError(f"“{self.tag}” is not installed here: install the plug-in that brings it")

    def bend_at(self, _rest: Floats, _index: int) -> Floats:
        raise self._missing()

    def measure(self, _elements: Elements, _context: Context) -> Floats:
        raise self._missing()

    def apply(self, _geometry: Geometry, _strength: Floats, _context: Context) -> Geometry:
        raise self._missing()

    @classmethod
    def assembles(cls) -> bool:
        return False

    def build(self, _arrays: Mapping[str, NDArray[Any]]) -> Geometry:
        raise self._missing()


if TYPE_CHECKING:
    AnySource: TypeAlias = Source
    AnyEffect: TypeAlias = Effect
    AnyShapeSource: TypeAlias = ShapeSource
else:
    # Types of fields that take any registered kind. They are no structs, so msgspec leaves decoding to `decode_kind`.
    class AnySource(ABC): ...  # noqa: B024

    class AnyEffect(ABC): ...  # noqa: B024

    class AnyShapeSource(ABC): ...  # noqa: B024

    for _field, _family in ((AnySource, Source), (AnyEffect, Effect), (AnyShapeSource, ShapeSource)):
        _field.register(_family)
        _field.register(UnknownKind)


_FIELDS: dict[Any, type[Kind]] = {AnySource: Source, AnyEffect: Effect, AnyShapeSource: ShapeSource}
FAMILIES: tuple[type[Kind], ...] = (Source, Effect, ShapeSource)
_KINDS: dict[type[Kind], dict[str, type[Kind]]] = {family: {} for family in FAMILIES}
Registered = TypeVar("Registered", bound=type[Kind])


def register(kind: Registered) -> Registered:
    """Make a kind known under its tag. Raises ValueError, naming the kind, for one that breaks a rule."""
    family = next((item for item in FAMILIES if issubclass(kind, item)), None)
    if family is None:
        raise ValueError(f"{kind.__name__}: a kind is a Source, an Effect or a ShapeSource")
    problem = _problem(kind, family)
    if problem:
        raise ValueError(f"{kind.__module__}.{kind.__name__}: {problem}")
    _KINDS[family][tag_of(kind)] = kind
    return kind


def _problem(kind: type[Kind], family: type[Kind]) -> str:
    config = kind.__struct_config__
    if not (config.frozen and config.cache_hash and config.forbid_unknown_fields):
        return "it must keep the options of its base: frozen, cache_hash, forbid_unknown_fields"
    if not isinstance(config.tag, str) or config.tag_field != "kind":
        return 'it needs a tag: class Name(Base, tag="name")'
    if config.tag in _KINDS[family]:
        return f"the tag “{config.tag}” is taken; a plug-in puts its name before it, such as “acme:{config.tag}”"
    if not all(isinstance(getattr(kind, name, None), str) for name in ("label", "text")):
        return "it needs a label and a text"
    try:
        get_type_hints(kind, include_extras=True)
    except NameError as error:
        return f"an annotation cannot be resolved ({error})"
    bare = set(kind.__struct_fields__) - {item.name for item in settings_of(kind)}
    return f"the field “{min(bare)}” has no setting(...)" if bare else ""


def tag_of(kind: Any) -> str:
    """The tag of a kind, or of an instance of one."""
    return kind.tag if isinstance(kind, UnknownKind) else str(kind.__struct_config__.tag)


def kinds(family: type[Kind]) -> Mapping[str, Any]:
    """The registered kinds of a family (`Source`, `Effect` or `ShapeSource`) by tag.

    Built-in kinds and plug-ins are loaded when kinds are first asked for.
    """
    load_kinds()
    return _KINDS[family]


def family_of(field: Any) -> type[Kind]:
    """The family whose kinds a field of this type takes. Raises NotImplementedError for another type, as msgspec wants it."""
    if field not in _FIELDS:
        raise NotImplementedError(f"{field} is not a family of kinds")
    return _FIELDS[field]


def decode_kind(expected: type, value: Any) -> Any:
    """msgspec's hook for fields that take any kind. Raises ValueError with the place inside the kind."""
    family = family_of(expected)
    if not isinstance(value, dict):
        raise ValueError(f"Expected `object`, got `{type(value).__name__}`")
    tag = value.get("kind")
    if not isinstance(tag, str) or not 0 < len(tag) <= 200:
        raise ValueError("Object missing required field `kind`")
    kind = kinds(family).get(tag)
    if kind is None:
        return UnknownKind(tag, value)
    try:
        return msgspec.convert(value, kind, dec_hook=decode_kind)
    except msgspec.ValidationError as error:
        raise ValueError(str(error)) from None  # msgspec adds the outer place to a ValueError only


def encode_kind(value: Any) -> Any:
    """msgspec's hook for values it cannot encode: an unknown kind is written as it was read."""
    if isinstance(value, UnknownKind):
        return value.raw
    raise NotImplementedError(f"{type(value)} cannot be written")
