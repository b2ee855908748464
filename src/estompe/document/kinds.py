"""Kinds of sources and effects register themselves here; built-ins use the same door a plug-in would."""

from collections.abc import Mapping
from typing import Any, ClassVar, Protocol, TypeVar

import msgspec
from msgspec import Struct

from estompe.geometry import Geometry
from estompe.geometry.placement import Matrix
from estompe.geometry.samples import Samples
from estompe.kernels.types import Floats


class At(Protocol):
    """What a source or effect may ask about the moment it is worked out for."""

    clock: float
    """The source's own time, as its `clock` gave it."""
    shape_matrix: Matrix
    """Own space of the current shape to world, float64 (3, 4)."""

    def control(self, control: str) -> tuple[str, Matrix]:
        """A control's form and its own space to world; raises MissingError."""

    def strength(self, falloff: str) -> Floats:
        """Another falloff's strength on the same samples, float32 (n,); raises MissingError."""


class MissingError(LookupError):
    """Something referred to is not there, or refers back to itself; the text says what."""


class Source:
    """What a falloff's layer measures. Subclasses are frozen structs with their settings."""

    label: ClassVar[str]
    text: ClassVar[str]

    def reads(self) -> tuple[str, ...]:
        """Which arrays of the samples decide the result: "points", "rest" or "normals"."""
        return ("points",)

    def clock(self, seconds: float) -> float:
        """The time that matters to the result; constant for a source that does not change by itself."""
        del seconds
        return 0.0

    def unit(self) -> str:
        """The unit of the measured values, as `setting` names units."""
        return ""

    def measure(self, samples: Samples, at: At) -> Floats:
        """The values, float32 (n,)."""
        raise NotImplementedError


class EffectSettings:
    """What an effect does to a geometry. Subclasses are frozen structs with their settings."""

    label: ClassVar[str]
    text: ClassVar[str]

    def apply(self, geometry: Geometry, strength: Floats, at: At) -> Geometry:
        """The geometry after the effect; arrays it leaves alone are shared. strength: float32 (points,)."""
        raise NotImplementedError


Kind = TypeVar("Kind", bound=type[Struct])

_KINDS: dict[type, dict[str, type[Struct]]] = {Source: {}, EffectSettings: {}}


def register(kind: Kind) -> Kind:
    """Make a source or effect known under its tag. Raises ValueError for a tag that is taken."""
    family = Source if issubclass(kind, Source) else EffectSettings
    tag = str(kind.__struct_config__.tag)
    if tag in _KINDS[family]:
        raise ValueError(f"the kind “{tag}” is registered twice")
    _KINDS[family][tag] = kind
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
