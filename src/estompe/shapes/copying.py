"""What all kinds of copies share: forms, how they are chosen, and turning a layout into copies."""

from typing import Annotated, ClassVar, Literal, NamedTuple

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from estompe.document.scene import Identifier
from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import MOST_COPIES, Copies
from estompe.geometry.pieces import Ids, even_ranks
from estompe.geometry.random import random_of
from estompe.geometry.rest import Rest
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ShapeSource
from estompe.kinds.numbers import Number, plain
from estompe.kinds.settings import setting, whole

_UPRIGHT = np.eye(3, dtype=np.float32).reshape(1, 9)


class Laid(NamedTuple):
    """Where copies stand: ids, int64 (k,), rank, float32 (k,), positions, float32 (k, 3), axes, float32 (k, 9) or None for
    upright; rest: where they stood first, kept by whoever laid them out, or None for where they are; scales: float32 (k, 3), of
    their own, or None for 1; shown: bool (k,), or None for all."""

    ids: Ids
    positions: Floats
    axes: Floats | None = None
    rank: Floats | None = None
    rest: Rest | None = None
    scales: Floats | None = None
    shown: NDArray[np.bool_] | None = None


class CopiesSource(ShapeSource):
    """Copies of one or several shapes, each at a place of its own. A layout is a subclass with `lay`.

    A form's own effects run once and show in all copies. Copies stand on what was the form's position; its rotation and
    scale go with it.
    """

    group: ClassVar[str] = "copy"
    makes_pieces: ClassVar[bool] = True
    makes_copies: ClassVar[bool] = True

    form: Annotated[Identifier, setting("Form", "The shape that is copied.", refers="shape")]
    more: Annotated[
        tuple[Identifier, ...],
        setting("More forms", "Other shapes that are copied as well.", refers="shape", editor="several"),
        Meta(max_length=32),
    ] = ()
    choose: Annotated[
        Literal["in turn", "at random", "by weights"],
        setting("Choice", "How each copy chooses its form.", folded=True),
    ] = "in turn"
    weights: Annotated[
        str,
        setting(
            "Weights",
            "The weight of each form, such as 3 1 1: more makes a form more frequent.",
            editor="name",
            when=("choose", ("by weights",)),
        ),
        Meta(max_length=400),
    ] = "1"
    seed: Annotated[
        int,
        whole(
            "Choice seed",
            "The start of the random numbers: another seed chooses other forms.",
            low=0,
            high=2**31 - 1,
            folded=True,
        ),
    ] = 1
    colors: Annotated[
        Literal["own", "forms"],
        setting("Colours", "Whether all copies have one colour or that of their form.", folded=True),
    ] = "own"
    scale: Annotated[
        Number, setting("Copy scale", "The scale of each copy.", unit="times", low=0.0, high=1e4, step=0.01)
    ] = 1.0

    def check(self) -> None:
        self._weights()

    def lay(self, context: Context) -> Laid:
        """Where the copies stand. Raises CannotEvaluateError."""
        raise NotImplementedError

    def assemble(self, context: Context) -> Geometry:
        names = (self.form, *self.more)
        forms = tuple(_own_space(context.shape(name), context.matrix_of(name)) for name in names)
        if self.colors == "forms":
            forms = tuple(
                form
                if form.attribute(Domain.POINT, "color") is not None
                else form.with_attribute(
                    Domain.POINT, "color", np.full((len(form.points), 3), context.color_of(name), np.float32)
                )
                for form, name in zip(forms, names, strict=True)
            )
        if not any(len(form.topology.triangles) for form in forms):
            raise CannotEvaluateError("what it copies has no faces: choose another shape")
        laid = self.lay(context)
        count = len(laid.ids)
        axes = np.tile(_UPRIGHT, (count, 1)) if laid.axes is None else laid.axes
        scales = np.full((count, 3), plain(self.scale), np.float32)
        if laid.scales is not None:
            scales *= laid.scales
        rank = even_ranks(laid.ids) if laid.rank is None else laid.rank
        return Copies(
            forms, self._chosen(laid.ids, len(forms)), laid.positions, axes, scales, laid.ids, rank,
            laid.shown, rest_positions=laid.rest,
        )  # fmt: skip

    def _weights(self) -> list[float]:
        try:
            found = [float(word) for word in self.weights.replace(",", " ").split()]
        except ValueError:
            raise ValueError(f"weights are numbers, such as 3 1 1, not “{self.weights[:40]}”") from None
        if not all(0.0 <= value < 1e9 for value in found) or not sum(found) > 0.0:
            raise ValueError("weights are not negative, and one of them is above 0")
        return found

    def _chosen(self, ids: Ids, forms: int) -> Indices:
        if self.choose == "in turn" or forms == 1:
            return (ids % forms).astype(np.int32)
        shares = np.ones(forms)
        if self.choose == "by weights":
            given = self._weights()[:forms]
            shares[: len(given)] = given
            shares[len(given) :] = given[-1]
        ends = np.cumsum(shares) / max(shares.sum(), 1e-12)
        return np.minimum(np.searchsorted(ends, random_of(ids, self.seed), side="right"), forms - 1).astype(np.int32)


def _own_space(form: Geometry, matrix: NDArray[np.float64]) -> Geometry:
    """A form about its own position, without what it is a copy of."""
    position = matrix[:, 3].astype(np.float32)
    return form if not position.any() else form.moved(form.points - position, form.__dict__.get("normals"))


def check_copies(count: int, instead: str) -> None:
    """Raise CannotEvaluateError for more copies than may be. instead: what to do."""
    if count > MOST_COPIES:
        raise CannotEvaluateError(f"it would make {count:,} copies, more than {MOST_COPIES:,}: {instead}")
