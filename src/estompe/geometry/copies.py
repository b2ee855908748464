"""Many copies of a few forms, each at a place of its own; a mesh of all their points is made only on demand."""

import threading
from collections.abc import Callable, Iterator
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Attributes, Domain, Geometry, GeometryError, check_attributes
from estompe.geometry.pieces import Ids, Pieces, weights_for
from estompe.geometry.rest import Rest
from estompe.geometry.shading import AUTHORED, with_normals
from estompe.geometry.topology import Topology
from estompe.geometry.transforms import Matrix
from estompe.kernels.pieces import expanded
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices, frozen

MOST_COPIES = 2_000_000
MOST_REAL_POINTS = 30_000_000
_BYTES_OF_A_COPY = 96
_REAL = ("points", "topology", "attributes", "at_rest")
_MAKING = threading.RLock()


class Copies(Geometry):
    """Copies of forms, as a mesh whose points are not made until they are asked for.

    forms: meshes in their own space; form: int32 (k,), which one each copy shows; positions: float32 (k, 3), world space;
    axes: float32 (k, 9), unit columns, own axes to world; scales: float32 (k, 3), along them; ids: int64 (k,), stay with
    the copies; rank: float32 (k,), 0..1; shown: bool (k,); piece_attributes: one value per copy or for the whole.
    """

    def __init__(
        self,
        forms: tuple[Geometry, ...],
        form: Indices,
        positions: Floats,
        axes: Floats,
        scales: Floats,
        ids: Ids,
        rank: Floats,
        shown: NDArray[np.bool_] | None = None,
        piece_attributes: Attributes | None = None,
        rest_positions: Rest | None = None,
        notes: tuple[str, ...] = (),
    ) -> None:
        if len(positions) > MOST_COPIES:
            raise GeometryError(f"{len(positions):,} copies are more than {MOST_COPIES:,}: ask for fewer")
        self.forms = forms
        self.form, self.ids, self.rank = frozen(form), frozen(ids), frozen(rank)
        self.positions, self.scales = frozen(positions), frozen(scales)
        self.axes: Floats = frozen(axes)
        self.shown = np.ones(len(positions), np.bool_) if shown is None else shown
        self.piece_attributes: Attributes = piece_attributes if piece_attributes is not None else {}
        self.rest_positions = Rest(self.positions) if rest_positions is None else rest_positions
        self.notes = notes

    def __getattr__(self, name: str) -> Any:
        if name not in _REAL:
            raise AttributeError(name)
        with _MAKING:
            if name not in self.__dict__:
                self._make_real()
        return self.__dict__[name]

    @property
    def component(self) -> str:
        return "copies"

    @property
    def own_domain(self) -> Domain:
        return Domain.PIECE

    @property
    def is_real(self) -> bool:
        return "points" in self.__dict__

    @property
    def is_parted(self) -> bool:
        return True

    @property
    def piece_word(self) -> str:
        return "copy"

    @property
    def copies_shown(self) -> int:
        return int(np.count_nonzero(self.shown))

    @property
    def placed_elements(self) -> Floats:
        return self.positions

    @property
    def bytes_per_frame(self) -> int:
        return _BYTES_OF_A_COPY * len(self.positions)

    def attributes_of(self, domain: Domain) -> dict[str, NDArray[Any]]:
        if domain not in (Domain.PIECE, Domain.WHOLE):
            return super().attributes_of(domain)
        return {name: values for (own, name), values in self.piece_attributes.items() if own is domain}

    def places_in(self, after: Geometry) -> Floats | None:
        if not isinstance(after, Copies) or not np.array_equal(self.ids, after.ids):
            return None
        return np.concatenate([after.positions, after.linear], axis=1)

    def element_ids(self, triangles: NDArray[np.int64], copies: NDArray[np.int64]) -> NDArray[Any]:
        del triangles
        return np.asarray(self.ids[copies])

    def piece_values(self) -> dict[str, NDArray[Any]]:
        return {"scale": self.scales, "form": self.form, "shown": self.shown, "rank": self.rank}

    def counts(self) -> dict[str, Any]:
        return {"points": self.total_points, "copies": self.copies_shown, "forms": len(self.forms)}

    def placed_pieces(
        self, positions: Floats, axes: Floats | None = None, sizes: Floats | None = None
    ) -> "Geometry | None":
        # Scales are shared where nothing was scaled, as by most effects.
        return self.at(positions, axes, None if sizes is None else self.scales * sizes)

    def showing_pieces(self, kept: Callable[[Floats], NDArray[np.bool_]]) -> "Geometry | None":
        return self.showing(self.shown & kept(self.rank))

    def in_units(self, linear: NDArray[np.floating[Any]]) -> Geometry:
        """The same copies, whose forms are in the other units already."""
        turn = linear / np.linalg.norm(linear[:, 0])
        axes = np.einsum("ij,njk,lk->nil", turn, self.axes.reshape(-1, 3, 3).astype(np.float64), turn)
        positions = (self.positions.astype(np.float64) @ linear.T).astype(np.float32)
        return self.at(positions, axes.reshape(-1, 9).astype(np.float32))

    def check_lengths(self, before: Geometry | None = None) -> None:
        if self.is_real:
            super().check_lengths(before)
            return
        count = len(self.positions)
        for array in (
            self.form,
            self.axes,
            self.scales,
            self.ids,
            self.rank,
            self.shown,
            self.rest_positions.positions,
        ):
            if len(array) != count:
                raise GeometryError(f"it returned {len(array):,} values for {count:,} copies")
        check_attributes(self.piece_attributes, {Domain.PIECE: count, Domain.WHOLE: 1})

    def count(self, domain: Domain) -> int:
        return len(self.positions) if domain is Domain.PIECE else super().count(domain)

    @property
    def piece_axes(self) -> Floats:
        return self.axes[self.shown]

    @property
    def total_points(self) -> int:
        sizes = np.array([len(form.points) for form in self.forms], np.int64)
        return int(sizes[self.form[self.shown]].sum()) if len(sizes) else 0

    @property
    def total_triangles(self) -> int:
        sizes = np.array([len(form.topology.triangles) for form in self.forms], np.int64)
        return int(sizes[self.form[self.shown]].sum()) if len(sizes) else 0

    def at(self, positions: Floats, axes: Floats | None = None, scales: Floats | None = None) -> "Copies":
        """The same copies at other places; what is not given is shared."""
        return Copies(
            self.forms, self.form, positions, self.axes if axes is None else axes,
            self.scales if scales is None else scales, self.ids, self.rank, self.shown, self.piece_attributes,
            self.rest_positions, self.notes,
        )  # fmt: skip

    def showing(self, shown: NDArray[np.bool_]) -> "Copies":
        """The same copies, of which only some are seen."""
        return Copies(
            self.forms, self.form, self.positions, self.axes, self.scales, self.ids, self.rank, frozen(shown),
            self.piece_attributes, self.rest_positions, self.notes,
        )  # fmt: skip

    def with_attribute(self, domain: Domain, name: str, values: NDArray[Any]) -> Geometry:
        if domain is not Domain.PIECE:
            return super().with_attribute(domain, name, values)
        attributes = {**self.piece_attributes, (domain, name): frozen(values)}
        return Copies(
            self.forms, self.form, self.positions, self.axes, self.scales, self.ids, self.rank, self.shown, attributes,
            self.rest_positions, self.notes,
        )  # fmt: skip

    def attribute(self, domain: Domain, name: str) -> NDArray[Any] | None:
        if domain in (Domain.PIECE, Domain.WHOLE):
            return self.piece_attributes.get((domain, name))
        return super().attribute(domain, name)

    def to_points(self, domain: Domain, values: Floats) -> Floats:
        own = values[self.shown] if domain is Domain.PIECE and len(values) == len(self.positions) else values
        return super().to_points(domain, own)

    def transformed(self, matrix: Matrix) -> Geometry:
        linear = matrix[:, :3]
        sizes = np.maximum(np.linalg.norm(linear, axis=0), 1e-12)
        turned = np.einsum("ij,kjl->kil", linear / sizes, self.axes.reshape(-1, 3, 3)).reshape(-1, 9)
        # Uneven scale of a turned copy would shear it, which a place, a rotation and three sizes cannot say.
        stretched = np.linalg.norm(
            np.einsum("ij,kjl->kil", linear, self.axes.reshape(-1, 3, 3).astype(np.float64)), axis=1
        )
        return self.at(
            transformed(self.positions, matrix), turned.astype(np.float32), (self.scales * stretched).astype(np.float32)
        )

    def rest_extent(self, axis: int) -> tuple[float, float]:
        """The ends of all copies along an axis, as they lie unturned where they stood first; as the real mesh at rest."""
        along = self.rest_positions.positions[:, axis]
        ends = [
            (float((along[own] + low[axis]).min()), float((along[own] + high[axis]).max()))
            for number, (low, high) in enumerate(form.bounds for form in self.forms)
            if (own := (self.form == number) & self.shown).any()
        ]
        return (min(low for low, _ in ends), max(high for _, high in ends)) if ends else (0.0, 0.0)

    def prepare(self) -> None:
        for form in self.forms:
            form.prepare()
        self.bounds  # noqa: B018

    def triangle_corners(self, triangle: int, copy: int | None = None) -> NDArray[np.float64] | None:
        if copy is None or copy >= len(self.positions):
            return None
        form = self.forms[self.form[copy]]
        linear = (self.axes[copy].reshape(3, 3) * self.scales[copy]).astype(np.float64)
        corners: NDArray[np.float64] = form.points[form.topology.triangles[triangle]] @ linear.T + self.positions[copy]
        return corners

    def copy_edges(self, copy: int) -> Floats | None:
        if copy >= len(self.positions):
            return None
        form = self.forms[self.form[copy]]
        linear = self.axes[copy].reshape(3, 3) * self.scales[copy]
        return np.asarray(form.points[form.topology.edges] @ linear.T + self.positions[copy], np.float32)

    def form_means(self, name: str) -> Floats | None:
        """The mean of an attribute over each copy's form, float32 (k,) or (k, n); None where a form has none."""
        means = []
        for form in self.forms:
            values = form.on_points(name)
            if values is None:
                return None
            means.append(values.mean(axis=0))
        return np.asarray(means, np.float32)[self.form] if means else None

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """The box around all copies, each taken as a ball: two float32 (3,)."""
        if not len(self.positions) or not self.shown.any():
            zero = np.zeros(3, np.float32)
            return zero, zero
        radii = self.radii[:, None]
        low, high = (self.positions - radii)[self.shown], (self.positions + radii)[self.shown]
        return low.min(axis=0), high.max(axis=0)

    @cached_property
    def radii(self) -> Floats:
        """How far each copy reaches from its position at most, float32 (k,)."""
        reach = [_reach(form) for form in self.forms]
        return np.asarray(np.asarray(reach)[self.form] * np.abs(self.scales).max(axis=1, initial=0.0), np.float32)

    @property
    def linear(self) -> Floats:
        """What takes offsets in each copy's own space to the world, float32 (k, 9)."""
        made: Floats = (self.axes.reshape(-1, 3, 3) * self.scales[:, None, :]).reshape(-1, 9)
        return made

    def arrays(self) -> Iterator[NDArray[Any]]:
        yield from (self.form, self.positions, self.axes, self.scales, self.ids, self.rank, self.shown)
        yield from self.rest_positions.arrays()
        yield from self.piece_attributes.values()
        for form in self.forms:
            yield from form.arrays()
        if self.is_real:
            yield from super().arrays()

    # Made real

    def _make_real(self) -> None:
        total = self.total_points
        if total > MOST_REAL_POINTS:
            raise GeometryError(
                f"made real, its {int(self.shown.sum()):,} copies would have {total:,} points, more than "
                f"{MOST_REAL_POINTS:,}: use fewer copies, or effects that act on copies"
            )
        chosen = np.flatnonzero(self.shown)
        form = self.form[chosen]
        topology, attributes, rest = self._real_parts(form, chosen)
        points = self._real_points(form, chosen, self.positions, self.linear, total)
        self.__dict__.update(points=frozen(points), topology=topology, attributes=attributes, at_rest=rest)

    def _starts(self, form: Indices) -> NDArray[np.int64]:
        sizes = np.array([len(item.points) for item in self.forms], np.int64)
        return np.concatenate([[0], np.cumsum(sizes[form])])

    def _real_points(
        self, form: Indices, chosen: NDArray[Any], positions: Floats, linear: Floats, total: int
    ) -> Floats:
        if not len(chosen):
            return np.zeros((0, 3), np.float32)
        local = np.concatenate([item.points for item in self.forms])
        firsts = np.cumsum([0, *(len(item.points) for item in self.forms)]).astype(np.int32)
        return expanded(
            local, firsts, self._starts(form), np.ascontiguousarray(form),
            np.ascontiguousarray(positions[chosen]), np.ascontiguousarray(linear[chosen]), total,
        )  # fmt: skip

    def _real_parts(self, form: Indices, chosen: NDArray[Any]) -> tuple[Topology, Attributes, Rest]:
        """The topology, attributes and rest of all copies laid together; the same objects while the same ones are shown."""
        key = "real", self.forms, self.form.tobytes(), self.shown.tobytes()
        topology, by_point, rest = self.rest_positions.derived(key, lambda: self._laid(form, chosen))
        attributes = dict(by_point)
        of = topology.pieces.of
        for (domain, name), values in self.piece_attributes.items():
            if domain is Domain.WHOLE:
                attributes[domain, name] = values
                continue
            kept = values[chosen]
            attributes[domain, name] = frozen(kept)
            if name == "color":
                attributes[Domain.POINT, name] = frozen(kept[of])
        return topology, attributes, rest

    def _laid(self, form: Indices, chosen: NDArray[Any]) -> tuple[Topology, Attributes, Rest]:
        starts = self._starts(form)
        tops = [item.topology for item in self.forms]
        corners = [tops[f].corners + np.int32(starts[i]) for i, f in enumerate(form)]
        sizes = [np.diff(tops[f].offsets) for f in form]
        offsets = np.concatenate([[0], *sizes]).cumsum().astype(np.int32)
        count = int(starts[-1])
        of = np.repeat(np.arange(len(form), dtype=np.int32), np.diff(starts))
        local = np.concatenate([np.zeros((0, 3), np.float32), *(self.forms[f].points for f in form)])
        weights = weights_for(local, of, np.zeros((len(form), 3))) if len(form) else np.zeros(0, np.float32)
        pieces = Pieces(of, self.ids[chosen], self.rank[chosen], "copy", weights)
        laid = np.concatenate(corners).astype(np.int32) if corners else np.zeros(0, np.int32)
        topology = Topology(frozen(laid), frozen(offsets), count, pieces)
        normals, counts = (Domain.CORNER, AUTHORED), [len(item.topology.corners) for item in self.forms]
        every = with_normals([item.attributes for item in self.forms], normals, counts)
        shared = set.intersection(*map(set, every)) if every else set()
        attributes = {
            key: frozen(np.concatenate([every[f][key] for f in form]))
            for key in sorted(shared)
            if key[0] in (Domain.POINT, Domain.CORNER, Domain.FACE) and len(form)
        }
        # Laid out unturned where they stood first, so that what is measured at rest stays while they move.
        upright = np.tile(np.eye(3, dtype=np.float32).reshape(1, 9), (len(self.form), 1))
        rest = self._real_points(form, chosen, self.rest_positions.positions, upright, count)
        return topology, attributes, Rest(frozen(rest))


def _reach(form: Geometry) -> float:
    return float(np.sqrt((form.points.astype(np.float64) ** 2).sum(axis=1).max(initial=0.0)))
