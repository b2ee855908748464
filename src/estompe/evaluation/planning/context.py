"""What a kind sees while it is evaluated: values that were looked up or planned before it runs, and nothing else."""

from collections.abc import Callable, Mapping
from typing import Any, NoReturn

from numpy.typing import NDArray

from estompe.document.scene import Color
from estompe.document.transforms import eye_of
from estompe.evaluation.running.stage import Stage
from estompe.geometry import Domain, Geometry
from estompe.geometry.elements import Elements
from estompe.geometry.transforms import Matrix
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Eye, Placed, UndeclaredError


class EvaluationContext:
    """Satisfies `estompe.kinds.context.Context`.

    found: what the kind refers to, by family and id (stages for falloffs and shapes, which have run by then); read: what it
    declared to read besides arrays; assets: arrays beside the scene, which never change.
    """

    __slots__ = ("_assets", "_found", "_read", "clock", "domain", "go_on")

    def __init__(
        self,
        clock: float,
        found: dict[tuple[str, Any], Any],
        read: dict[str, Any],
        assets: Mapping[str, NDArray[Any]],
        domain: Domain = Domain.POINT,
        go_on: Callable[[], None] = lambda: None,
    ) -> None:
        self.clock, self.domain, self.go_on = clock, domain, go_on
        self._found, self._read, self._assets = found, read, assets

    @property
    def shape_matrix(self) -> Matrix:
        return self._declared("matrix")  # type: ignore[no-any-return]

    @property
    def shape_color(self) -> Color:
        return self._declared("color")  # type: ignore[no-any-return]

    def camera(self) -> Eye:
        return eye_of(self._declared("camera"))

    @property
    def rough(self) -> float:
        return self._declared("rough")  # type: ignore[no-any-return]

    @property
    def detail(self) -> float | None:
        return self._declared("detail")  # type: ignore[no-any-return]

    @property
    def margin(self) -> Floats:
        stage: Stage[Floats] = self._declared("margin")
        return stage.value

    @property
    def neutral(self) -> Floats:
        stage: Stage[Floats] = self._declared("neutral")
        return stage.value

    @property
    def places(self) -> Geometry:
        stage: Stage[Geometry] = self._named("stage", "places")
        return stage.value

    @property
    def prepared(self) -> Any:
        return self._named("stage", "prepared").value

    def control(self, control: str, frames: float = 0.0) -> Placed:
        return self._named("control", (control, frames) if frames else control)  # type: ignore[no-any-return]

    def strength(self, falloff: str, frames: float = 0.0) -> Floats:
        stage: Stage[Floats] = self._named("falloff", (falloff, frames) if frames else falloff)
        return stage.value

    def elements(self, frames: float) -> Elements:
        stage, reads = self._named("elements", frames)
        return Elements(stage.value, reads, UndeclaredError, self.domain)

    def shape(self, shape: str) -> Geometry:
        stage: Stage[Geometry] = self._named("shape", shape)
        return stage.value

    def matrix_of(self, shape: str) -> Matrix:
        return self._named("matrix", shape)  # type: ignore[no-any-return]

    def color_of(self, shape: str) -> Color:
        return self._named("color", shape)  # type: ignore[no-any-return]

    def effect(self, effect: str) -> Any:
        return self._named("effect", effect)

    def footage(self, file: str) -> Any:
        return self._named("footage", file)

    def number(self, parts: tuple[str, ...]) -> float:
        return self._named("number", parts)  # type: ignore[no-any-return]

    def array(self, asset: str) -> NDArray[Any]:
        if asset not in self._assets:
            raise CannotEvaluateError("its data is not in the file: make it again")
        return self._assets[asset]

    def check_strengths(self, count: int) -> None:
        """Raise CannotEvaluateError where another falloff's strengths are not one per element. count: of elements."""
        for (family, _), stage in self._found.items():
            if family == "falloff" and len(stage.value) != count:
                raise CannotEvaluateError(
                    f"a falloff it looks at has {len(stage.value):,} values for {count:,} elements"
                )

    def _declared(self, name: str) -> Any:
        if name not in self._read:
            self._refuse(f"“{name}” in reads()")
        return self._read[name]

    def _named(self, family: str, name: Any) -> Any:
        if (family, name) not in self._found:
            self._refuse(f"the {family} “{name}” by a setting that refers to it")
        return self._found[family, name]

    @staticmethod
    def _refuse(what: str) -> NoReturn:
        raise UndeclaredError(f"it asks for something without declaring {what}: its kind has a mistake")
