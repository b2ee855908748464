"""A kind of a plug-in that is not installed."""

from collections.abc import Mapping
from typing import Any, ClassVar

import msgspec
from numpy.typing import NDArray

from estompe.geometry import Geometry
from estompe.geometry.carrying import Carries
from estompe.geometry.elements import Elements
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ActsOn, Join, PosedJoint


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
    speed_setting: ClassVar[str] = ""

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

    def gives_colors(self) -> bool:
        return False

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
