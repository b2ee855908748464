"""Inputs of nodes that planning adds: elements of a mesh, what a kind declared, and layers that join."""

from collections.abc import Callable, Hashable, Mapping
from typing import Any, NoReturn

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.document.scene import Color, Layer
from estompe.document.transforms import eye_of
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.checked import check_strength
from estompe.evaluation.running.node import INPUTS, Node, tokens_of
from estompe.geometry import Domain, Geometry
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Eye, Placed, UndeclaredError
from estompe.kinds.remembering import Seen

NO_ASSETS: Mapping[str, NDArray[Any]] = {}


class Declared:
    """What a kind declared, and nothing else: implements `estompe.kinds.context.Context`, and is an input of nodes.

    named: what its settings refer to, by family and id; read: what it reads besides arrays, by name. Both hold inputs: nodes,
    which have been run when the kind asks, `Keyed` values, or hashable values. assets: arrays beside the scene.
    """

    __slots__ = ("_assets", "_named", "_read", "clock", "domain", "go_on")

    def __init__(
        self,
        clock: float = 0.0,
        named: Mapping[tuple[str, Any], Any] | None = None,
        read: Mapping[str, Any] | None = None,
        assets: Mapping[str, NDArray[Any]] = NO_ASSETS,
        domain: Domain = Domain.POINT,
        go_on: Callable[[], None] = lambda: None,
    ) -> None:
        self.clock, self.domain, self.go_on = clock, domain, go_on
        self._named, self._read, self._assets = named or {}, read or {}, assets

    @property
    def token(self) -> Hashable:
        """What stands for all of it in keys; names are settings of the kind, which is an input of its own."""
        return self.clock, self.domain, tokens_of(self._named.values()), tokens_of(self._read.values())

    @property
    def value(self) -> "Declared":
        """Itself."""
        return self

    def naming(self, family: str, name: str, item: Any) -> "Declared":
        """The same with another thing to ask for."""
        named = {**self._named, (family, name): item}
        return Declared(self.clock, named, self._read, self._assets, self.domain, self.go_on)

    def reading(self, name: str, item: Any) -> "Declared":
        """The same with another thing to read, in place of what stood for it."""
        read = {**self._read, name: item}
        return Declared(self.clock, self._named, read, self._assets, self.domain, self.go_on)

    def reads(self, name: str) -> bool:
        """Whether the kind declared to read something besides arrays."""
        return name in self._read

    @property
    def shape_matrix(self) -> Matrix:
        return self._value_of("matrix")  # type: ignore[no-any-return]

    @property
    def shape_color(self) -> Color:
        return self._value_of("color")  # type: ignore[no-any-return]

    def camera(self) -> Eye:
        return eye_of(self._value_of("camera"))

    @property
    def rough(self) -> float:
        return self._value_of("rough")  # type: ignore[no-any-return]

    @property
    def detail(self) -> float | None:
        return self._value_of("detail")  # type: ignore[no-any-return]

    @property
    def margin(self) -> Floats:
        return self._value_of("margin")  # type: ignore[no-any-return]

    @property
    def neutral(self) -> Floats:
        return self._value_of("neutral")  # type: ignore[no-any-return]

    @property
    def places(self) -> Geometry:
        return self._item("node", "places")  # type: ignore[no-any-return]

    @property
    def prepared(self) -> Any:
        return self._item("node", "prepared")

    def control(self, control: str, frames: float = 0.0) -> Placed:
        return self._item("control", (control, frames) if frames else control)  # type: ignore[no-any-return]

    def strength(self, falloff: str, frames: float = 0.0) -> Floats:
        return self._item("falloff", (falloff, frames) if frames else falloff)  # type: ignore[no-any-return]

    def elements(self, frames: float) -> Elements:
        return self._item("elements", frames)  # type: ignore[no-any-return]

    def shape(self, shape: str) -> Geometry:
        return self._item("shape", shape)  # type: ignore[no-any-return]

    def matrix_of(self, shape: str) -> Matrix:
        return self._item("matrix", shape)  # type: ignore[no-any-return]

    def color_of(self, shape: str) -> Color:
        return self._item("color", shape)  # type: ignore[no-any-return]

    def effect(self, effect: str) -> Any:
        return self._item("effect", effect)

    def footage(self, file: str) -> Any:
        return self._item("footage", file)

    def number(self, parts: tuple[str, ...]) -> float:
        return self._item("number", parts)  # type: ignore[no-any-return]

    def array(self, asset: str) -> NDArray[Any]:
        if asset not in self._assets:
            raise CannotEvaluateError("its data is not in the file: make it again")
        return self._assets[asset]

    def check_strengths(self, count: int) -> None:
        """Raise CannotEvaluateError where another falloff's strengths are not one per element. count: of elements."""
        for (family, _), item in self._named.items():
            if family == "falloff" and len(item.value) != count:
                raise CannotEvaluateError(
                    f"a falloff it looks at has {len(item.value):,} values for {count:,} elements"
                )

    def _value_of(self, name: str) -> Any:
        if name not in self._read:
            self._refuse(f"“{name}” in reads()")
        return _value(self._read[name])

    def _item(self, family: str, name: Any) -> Any:
        if (family, name) not in self._named:
            self._refuse(f"the {family} “{name}” by a setting that refers to it")
        return _value(self._named[family, name])

    @staticmethod
    def _refuse(what: str) -> NoReturn:
        raise UndeclaredError(f"it asks for something without declaring {what}: its kind has a mistake")


def _value(item: Any) -> Any:
    return item.value if type(item) in INPUTS else item


class ElementsOf(Struct, frozen=True):
    """The elements of a mesh as an input: only the arrays whose tokens are in the key can be read from them."""

    node: Node[Geometry]
    reads: tuple[str, ...]
    domain: Domain
    token: Hashable

    @classmethod
    def of(cls, state: State, reads: tuple[str, ...], *, remembers: bool = False) -> "ElementsOf":
        """The elements of a state. remembers: whether they are told from those of other frames, by topology and rest."""
        tokens = state.tokens
        token: tuple[Hashable, ...] = tuple([tokens[name] for name in reads if name in tokens])
        if remembers or state.domain is not Domain.POINT:
            # Where faces and pieces are, and what is next to them, lies in the topology, too.
            token = *token, state.domain, tokens["topology"], tokens["rest"]
        return cls(state.node, reads, state.domain, token)

    @property
    def value(self) -> Elements:
        """The elements, which refuse to hand out what was not declared."""
        return Elements(self.node.value, self.reads, UndeclaredError, self.domain)


class CountOf(Struct, frozen=True):
    """The number of a state's elements as an input."""

    state: State

    @property
    def token(self) -> Hashable:
        """The topology and the domain decide."""
        return self.state.tokens["topology"], self.state.domain

    @property
    def value(self) -> int:
        """The number."""
        return self.state.geometry.count(self.state.domain)


class LayerValues(Struct, frozen=True):
    """The values of a falloff's layers as an input, before they are joined.

    joined: what they join to, if that is cached: to remap it is half the work, for the same bits.
    """

    layers: tuple[Layer, ...]
    nodes: tuple[Values, ...]
    token: Hashable
    joined: Values | None = None

    @property
    def value(self) -> "LayerValues":
        """Itself."""
        return self

    @property
    def arrays(self) -> list[Floats]:
        """The values, float32 (n,) for each layer."""
        return [node.value for node in self.nodes]


class View(Struct, frozen=True):
    """A kind with memory at its place on one frame, as an input: its settings, what it declared, and what it gets.

    kind: with resolved settings; declared: what it may ask; state: the shape as it comes; strength: of an effect's routes, None
    for a source; each: whether an effect acts on each element by itself.
    """

    kind: Any
    declared: Declared
    state: State
    strength: Values | None = None
    each: bool = False

    @property
    def token(self) -> Hashable:
        """What stands for all that is seen."""
        if self.strength is None:
            return self.kind, self.declared.token, ElementsOf.of(self.state, self.kind.reads(), remembers=True).token
        return self.kind, self.declared.token, self.state.node.token, self.each, self.strength.token

    @property
    def value(self) -> Seen:
        """What the kind sees, once all nodes have been run. Raises CannotEvaluateError where strengths do not fit it."""
        geometry, domain = self.state.node.value, self.declared.domain
        reads = self.kind.reads() if self.strength is None else None
        elements = Elements(geometry, reads, UndeclaredError, domain)
        asks_places = self.strength is not None and self.kind.asks_places
        count = len(self.declared.places.points) if asks_places else len(elements)
        strength = np.ones(count, np.float32) if self.strength is None else self.strength.value
        check_strength(strength, count)
        self.declared.check_strengths(count)
        return Seen(geometry, elements, strength, self.declared)


INPUTS.update((Declared, ElementsOf, CountOf, LayerValues, View))
