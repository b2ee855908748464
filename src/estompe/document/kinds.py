"""Kinds of sources and effects register themselves here; built-ins use the same door a plug-in would."""

from collections.abc import Mapping
from typing import Any, ClassVar, NamedTuple, Protocol, TypeVar

import msgspec
import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.geometry.placement import Matrix, inverse
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


class Placed:
    """A control as others see it.

    matrix, into: own space to world and back, float64 (3, 4); points: a path's, float32 (k, 3), in own space.
    """

    __slots__ = ("form", "into", "matrix", "points")

    def __init__(self, form: str, matrix: Matrix, points: Floats) -> None:
        self.form, self.matrix, self.points = form, matrix, points
        self.into: Matrix = inverse(matrix)


class Eye(NamedTuple):
    """The camera: where it stands and what it looks at, float64 (3,), and the picture's height in degrees."""

    place: NDArray[np.float64]
    target: NDArray[np.float64]
    view_angle: float


class At(Protocol):
    """What a source or effect may ask about the moment it is worked out for. Asking for what is not there raises MissingError.

    What can be asked by id must be named by a setting (`refers`), since that is how changes in it are noticed.
    """

    clock: float
    """The time that matters, as the kind's `clock` gave it."""
    shape_matrix: Matrix
    """Own space of the current shape to world, float64 (3, 4)."""
    shape_color: tuple[float, float, float]
    """The current shape's colour; a kind that uses it must have "color" among its `reads`."""

    def control(self, control: str) -> Placed:
        """A control by id."""

    def strength(self, falloff: str) -> Floats:
        """Another falloff's strength on the same samples, float32 (n,)."""

    def shape(self, shape: str) -> Geometry:
        """Another shape after all its effects."""

    def effect(self, effect: str) -> Any:
        """The settings of another effect by id, with plain numbers."""

    def array(self, blob: str) -> NDArray[Any]:
        """A big array that is kept beside the scene."""

    def number(self, parts: tuple[str, ...]) -> float:
        """A number of the scene by its dotted name, as formulas use it; raises LookupError."""

    def camera(self) -> Eye:
        """The scene's camera; a kind that asks must have "camera" among its `reads`."""


class MissingError(LookupError):
    """Something referred to is not there, or refers back to itself; the text says what."""


class Timed:
    """What sources and effects say about time and about what else they look at."""

    label: ClassVar[str]
    text: ClassVar[str]

    def reads(self) -> tuple[str, ...]:
        """What of the moment decides the result, beside settings: names of `Samples`' arrays, "camera" or "color"."""
        return ("points",)

    def clock(self, seconds: float, frame: float) -> float:
        """The time that matters to the result; constant for a kind that does not change by itself."""
        del seconds, frame
        return 0.0


class Source(Timed):
    """What a falloff's layer measures. Subclasses are frozen structs with their settings.

    reads: of "points", "normals", "rest", "attributes", "topology" and "camera".
    """

    def unit(self) -> str:
        """The unit of the measured values, as `setting` names units."""
        return ""

    def measure(self, samples: Samples, at: At) -> Floats:
        """The values, float32 (n,)."""
        raise NotImplementedError


EVERYTHING = ("points", "normals", "rest", "attributes", "topology")


class EffectSettings(Timed):
    """What an effect does to a geometry. Subclasses are frozen structs with their settings. All of the geometry decides."""

    alters: ClassVar[tuple[str, ...]] = ("points", "normals")
    """What may differ in the geometry afterwards, of `EVERYTHING`. What falloffs measure on the rest of it stays as it is."""

    def reads(self) -> tuple[str, ...]:
        return ()

    @classmethod
    def told(cls, after: Geometry) -> str:
        """What the effect has to say about its result, in a few words."""
        del after
        return ""

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        """The geometry after the effect; arrays it leaves alone are shared. strength: float32 (points,)."""
        raise NotImplementedError


Kind = TypeVar("Kind", bound=type[Struct])

_KINDS: dict[type, dict[str, type[Struct]]] = {Source: {}, EffectSettings: {}}


def register(kind: Kind) -> Kind:
    """Make a source or effect known under its tag. Raises ValueError for a tag that is taken, or a class name.

    The schema names kinds by their classes.
    """
    own = Source if issubclass(kind, Source) else EffectSettings
    tag = str(kind.__struct_config__.tag)
    if tag in _KINDS[own]:
        raise ValueError(f"the kind “{tag}” is registered twice")
    if kind.__name__ in {known.__name__ for family in _KINDS.values() for known in family.values()}:
        raise ValueError(f"another kind is called {kind.__name__} too")
    _KINDS[own][tag] = kind
    return kind


def kinds(family: type) -> Mapping[str, Any]:
    """The registered kinds of a family (`Source` or `EffectSettings`) by tag."""
    return _KINDS[family]


def decode_kind(expected: type, value: Any) -> Any:
    """msgspec's hook for fields whose kinds are open. Raises ValueError with the place inside the kind."""
    if expected not in _KINDS:
        raise NotImplementedError(f"{expected} is not a family of kinds")
    if not isinstance(value, dict):
        raise ValueError(f"Expected `object`, got `{type(value).__name__}`")
    tag = value.get("kind")
    kind = _KINDS[expected].get(tag) if isinstance(tag, str) else None
    if kind is None:
        raise ValueError(f"“{tag}” is not a kind this version knows ({', '.join(_KINDS[expected])})")
    try:
        return msgspec.convert(value, kind, dec_hook=decode_kind)
    except msgspec.ValidationError as error:
        raise ValueError(str(error)) from None  # msgspec adds the outer place to a ValueError only
