"""What a source or effect sees of the moment it is worked out for."""

from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from estompe.document.kinds import EffectSettings, Eye, Placed
from estompe.document.numbers import plain, plain_triple
from estompe.document.scene import Placement
from estompe.evaluate.state import State
from estompe.geometry import Geometry, frozen
from estompe.geometry.placement import Matrix, placement_matrix
from estompe.kernels.types import Floats

if TYPE_CHECKING:
    from estompe.evaluate.moment import Moment


@lru_cache(maxsize=4096)
def matrix_of(placement: Placement) -> Matrix:
    """A resolved placement's own space to world, float64 (3, 4)."""
    triples = plain_triple(placement.place), plain_triple(placement.turn), plain_triple(placement.size)
    return frozen(placement_matrix(*triples))


class Asking:
    """What a source or effect sees of the moment."""

    __slots__ = ("_above", "_moment", "_state", "clock", "shape_color", "shape_matrix")

    def __init__(self, moment: "Moment", state: State, clock: float, above: tuple[str, ...]) -> None:
        self._moment, self._state, self._above = moment, state, above
        self.clock = clock
        self.shape_matrix = state.matrix
        self.shape_color = state.color

    def control(self, control: str) -> Placed:
        return self._moment.placed(control)

    def strength(self, falloff: str) -> Floats:
        moment = self._moment
        return moment.settled(lambda: moment.strength(falloff, self._state, self._above)).value

    def shape(self, shape: str) -> Geometry:
        moment = self._moment
        return moment.settled(lambda: moment.finished(shape)).geometry

    def effect(self, effect: str) -> EffectSettings:
        return self._moment.effect(effect)

    def array(self, blob: str) -> NDArray[Any]:
        return self._moment.array(blob)

    def number(self, parts: tuple[str, ...]) -> float:
        return self._moment.number(parts)

    def camera(self) -> Eye:
        camera = self._moment.camera
        place, target = np.array(plain_triple(camera.place)), np.array(plain_triple(camera.target))
        return Eye(place, target, plain(camera.view_angle))
