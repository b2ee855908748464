"""Graphics buffers of copies: the forms once, and for each copy where it stands and what it shows."""

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, NamedTuple, cast

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.kernels.types import Floats
from estompe.render.buffers import MeshBuffers, Slot
from estompe.render.drawers.drawer import Batch, Drawer, Ray, Wanted, draws
from estompe.render.item import Item
from estompe.render.pieces import piece_colors
from estompe.shapes import primitives

_FORMATS = {
    "place": ("3f/i", ("place",)),
    "axes": ("3f 3f 3f/i", ("row_x", "row_y", "row_z")),
    "scale": ("3f/i", ("scale",)),
    "strength": ("f/i", ("copy_strength",)),
    "range_position": ("f/i", ("copy_range_position",)),
    "color": ("3f/i", ("copy_color",)),
    "back_color": ("3f/i", ("copy_back_color",)),
    "later": ("3f 3f 3f 3f/i", ("next_place", "next_x", "next_y", "next_z")),
}


_SMALLEST_BOX, _LARGEST_BOX = 2.0, 12.0
"""Pixels across below which a copy is always a point, and below which it is at most a box, where stand-ins are allowed."""
_OF_BOX, _FOR_FORMS = 12, 0.7
"""Triangles of a box, and the part of the triangles there may be that goes to whole forms."""
_STEPS = np.geomspace(_SMALLEST_BOX, 4096.0, 48, dtype=np.float32)
_AS_A_BOX = 24
"""Triangles of a form up to which a box would not be drawn any faster."""
_DOT_SIZE = 0.8
"""The side of a point that covers about as much as what stands there, of the ball around that."""
WORTH_CULLING = 4096
"""Copies from which on it pays to look which of them are in the picture."""
_BATCH = 8192
"""Copies that are drawn at once; between batches a newer picture can come first."""


class StandIns(NamedTuple):
    """How small copies are simplified. pixels: float32 (k,), how large each is in the picture; below `forms` a copy is a box, and
    below `boxes` a point."""

    pixels: Floats
    forms: float
    boxes: float


class _Group:
    """The copies of one form: which they are, None for all, and their arrays in buffers."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self.mesh = MeshBuffers(context)
        self.index: NDArray[np.int64] | None = None
        self.count = 0
        self.uploads: list[str] = []
        self._slots: dict[str, Slot] = {}
        self._gathered: dict[str, tuple[Any, NDArray[Any]]] = {}
        self._bound: dict[tuple[int, str], Any] = {}

    def choose(self, index: NDArray[np.int64] | None, count: int) -> None:
        if index is not self.index:
            self._gathered.clear()
        self.index, self.count = index, count

    def into(self, name: str, array: NDArray[Any]) -> None:
        """Bring what belongs to the chosen copies into a buffer, if it is not there yet."""
        if self.index is not None:
            known = self._gathered.get(name)
            if known is None or known[0] is not array:
                self._gathered[name] = known = array, np.ascontiguousarray(array[self.index])
            array = known[1]
        slot = self._slots.setdefault(name, Slot())
        uploaded, new = slot.follow(self._context, array)
        if uploaded:
            self.uploads.append(name)
        if new:
            self.unbind()

    def drop(self, name: str) -> None:
        slot = self._slots.pop(name, None)
        if slot is not None:
            self.unbind()
            if slot.buffer is not None:
                slot.buffer.release()

    def has(self, name: str) -> bool:
        return name in self._slots

    def bound(self, program: Any, index: str) -> Any:
        if (id(program), index) not in self._bound:
            content = self.mesh.content(program)
            for name, (layout, attributes) in _FORMATS.items():
                if name in self._slots and all(item in program for item in attributes):
                    content.append((self._slots[name].buffer, layout, *attributes))
            self._bound[id(program), index] = self._context.vertex_array(program, content, self.mesh.index(index))
        return self._bound[id(program), index]

    def unbind(self) -> None:
        for array in self._bound.values():
            array.release()
        self._bound.clear()

    def release(self) -> None:
        self.unbind()
        self.mesh.release()
        for slot in self._slots.values():
            if slot.buffer is not None:
                slot.buffer.release()
        self._slots.clear()


class _Dots:
    """Copies that are so small in the picture that each is one point of its size and colour."""

    _LAYOUT = {"place": "3f", "pixels": "f", "copy_strength": "f", "copy_color": "3f"}

    def __init__(self, context: Any) -> None:
        self._context = context
        self._slots: dict[str, Slot] = {}
        self._bound: Any = None
        self.count = 0

    def follow(self, arrays: dict[str, NDArray[Any]]) -> None:
        """Bring arrays into buffers, by the names that the program reads."""
        self.count = len(arrays["place"])
        self._unbind()
        for gone in set(self._slots) - set(arrays):
            slot = self._slots.pop(gone)
            if slot.buffer is not None:
                slot.buffer.release()
        for name, array in arrays.items():
            self._slots.setdefault(name, Slot()).follow(self._context, array)

    def bound(self, program: Any) -> Any:
        """The vertex array for a program."""
        if self._bound is None:
            content = [(slot.buffer, self._LAYOUT[name], name) for name, slot in self._slots.items() if name in program]
            self._bound = self._context.vertex_array(program, content)
        return self._bound

    def _unbind(self) -> None:
        if self._bound is not None:
            self._bound.release()
            self._bound = None

    def release(self) -> None:
        self.count = 0
        self._unbind()
        for slot in self._slots.values():
            if slot.buffer is not None:
                slot.buffer.release()
        self._slots.clear()


_Key = tuple[str, int, int]
"""A form or the box around it, which form, and which batch of its copies."""


@draws("copies")
class CopiesDrawer(Drawer):
    """Draws copies as instances, in batches."""

    ability = "COPIES"

    def __init__(self, context: Any) -> None:
        super().__init__(context)
        self._groups: dict[_Key, _Group] = {}
        self._dots = _Dots(context)
        self._chosen: tuple[Any, ...] = ()
        self._plan: dict[_Key, NDArray[np.int64] | None] = {}
        self._closed: tuple[bool, ...] = ()
        self._own: set[str] = set()

    def follow(self, item: Item, wanted: Wanted) -> None:
        copies = cast(Copies, item.geometry)
        seen = _seen(copies, wanted)
        stand_ins = None
        if wanted.stand_ins and wanted.matrices is not None:
            stand_ins = stand_ins_for(copies, *wanted.matrices, wanted.height, wanted.stand_ins)
        colors = piece_colors(copies) if wanted.by_pieces else None
        self.uploads = []
        self._choose(copies, seen, stand_ins)
        arrays = {
            "place": copies.positions, "axes": copies.axes, "scale": copies.scales, "strength": item.strength,
            "range_position": item.range_position, "color": copies.attribute(Domain.PIECE, "color"),
            "back_color": copies.attribute(Domain.PIECE, "back_color"), "later": wanted.later,
        }  # fmt: skip
        if colors is not None:
            arrays.update(color=colors, back_color=colors)
        self._own = {name for name, array in arrays.items() if array is not None}
        for key, index in self._plan.items():
            group, form = self._groups[key], copies.forms[key[1]]
            group.choose(index, len(copies.positions) if index is None else len(index))
            self._fill(group, _box_around(form) if key[0] == "box" else form, arrays, wanted.wire)
            self.uploads += [f"{key[1]}.{name}" for name in (*group.mesh.uploads, *group.uploads)]
        # Backs of closed forms are never seen, unless the picture is taken from inside one or forms are mirrored.
        self._closed = tuple(form.topology.closed for form in copies.forms) if "back_color" not in self._own else ()
        self._fill_dots(copies, arrays, seen, stand_ins)

    @staticmethod
    def _fill(group: _Group, form: Geometry, arrays: dict[str, NDArray[Any] | None], edges: bool) -> None:
        group.uploads.clear()
        group.mesh.follow(form, None, None, edges)
        if group.mesh.uploads:
            group.unbind()
        for name, array in arrays.items():
            if array is not None:
                group.into(name, array)
            else:
                group.drop(name)

    def _fill_dots(
        self,
        copies: Copies,
        arrays: dict[str, NDArray[Any] | None],
        seen: NDArray[np.bool_] | None,
        stand_ins: StandIns | None,
    ) -> None:
        if stand_ins is None:
            self._dots.count = 0
            return
        shown = copies.shown if seen is None else copies.shown & seen
        index = np.flatnonzero(shown & (stand_ins.pixels < stand_ins.boxes))
        made = {"place": copies.positions[index], "pixels": stand_ins.pixels[index] * _DOT_SIZE}
        for name, source in (("copy_strength", "strength"), ("copy_color", "color")):
            array = arrays[source]
            if array is not None:
                made[name] = array[index]
        self._dots.follow(made)
        self.stood_in = len(index) + sum(
            0 if own is None else len(own) for key, own in self._plan.items() if key[0] == "box"
        )

    def _choose(self, copies: Copies, seen: NDArray[np.bool_] | None, stand_ins: StandIns | None) -> None:
        """Which copies are drawn together, and as what; found again only when that changes."""
        self.stood_in = 0
        key = copies.form, copies.shown, seen, stand_ins
        if len(self._chosen) == len(key) and all(a is b for a, b in zip(key, self._chosen, strict=True)):
            return
        self._chosen = key
        shown = copies.shown if seen is None else copies.shown & seen
        self._plan = {}
        if stand_ins is None:
            self._batch("form", copies, shown)
        else:
            pixels = stand_ins.pixels
            self._batch("form", copies, shown & (pixels >= stand_ins.forms))
            self._batch("box", copies, shown & (pixels < stand_ins.forms) & (pixels >= stand_ins.boxes))
        for gone in set(self._groups) - set(self._plan):
            self._groups.pop(gone).release()
        for wanted in set(self._plan) - set(self._groups):
            self._groups[wanted] = _Group(self.context)

    def _batch(self, kind: str, copies: Copies, wanted: NDArray[np.bool_]) -> None:
        for number in range(len(copies.forms)):
            mask = wanted & (copies.form == number)
            if mask.all() and len(mask) <= _BATCH:
                self._plan[kind, number, 0] = None
                continue
            index = np.flatnonzero(mask)
            for batch, begin in enumerate(range(0, len(index), _BATCH)):
                self._plan[kind, number, batch] = index[begin : begin + _BATCH]

    def batches(self, index: str) -> Iterator[Batch]:
        for (kind, number, _), group in self._groups.items():
            if group.count and group.mesh.size(index):
                closed = bool(self._closed) and (kind == "box" or self._closed[number])
                array = partial(group.bound, index=index)
                yield Batch(group.mesh, array, index == "edges", group.count, group.index, closed)

    def dots(self) -> Callable[[Any], Any] | None:
        return self._dots.bound if self._dots.count else None

    def has_own(self, name: str) -> bool:
        return name in self._own

    def moves(self) -> bool:
        return "later" in self._own

    @staticmethod
    def is_seen_from_outside(geometry: Geometry, eye: NDArray[np.float64]) -> bool:
        """Whether an eye lies in none of the copies, and none is mirrored."""
        copies = cast(Copies, geometry)
        x, y, z = (copies.axes[:, k::3] for k in range(3))
        turns = np.einsum("ij,ij->i", np.cross(x, y), z) * copies.scales.prod(axis=1)
        offsets = copies.positions - eye.astype(np.float32)
        return bool((turns >= 0).all() and (np.einsum("ij,ij->i", offsets, offsets) > copies.radii**2).all())

    def release(self) -> None:
        for group in self._groups.values():
            group.release()
        self._dots.release()
        self._groups.clear()
        self._chosen = ()


def stand_ins_for(
    copies: Copies, view: NDArray[np.float64], projection: NDArray[np.float64], height: int, triangles: int
) -> StandIns:
    """Which copies may be simplified, so that about so many triangles are drawn: the largest in the picture are whole."""
    pixels = pixels_across(copies, view, projection, height)
    sizes = np.array([len(form.topology.triangles) for form in copies.forms], np.float64)[copies.form]
    sizes = np.where(copies.shown, sizes, 0.0)
    # Where a box has as many triangles as the form it gains nothing.
    boxes = np.where(copies.shown & (sizes > _AS_A_BOX), float(_OF_BOX), 0.0)
    forms = max(_LARGEST_BOX, _limit(pixels, sizes, _FOR_FORMS * triangles))
    smaller = pixels < forms
    if not boxes.any():
        return StandIns(pixels, forms, forms)
    limit = _limit(pixels[smaller], boxes[smaller], (1.0 - _FOR_FORMS) * triangles)
    return StandIns(pixels, forms, min(forms, max(_SMALLEST_BOX, limit)))


def _limit(pixels: Floats, costs: NDArray[np.float64], most: float) -> float:
    """The size above which copies together cost at most so much, pixels."""
    totals = np.bincount(np.searchsorted(_STEPS, pixels), costs, len(_STEPS) + 1)[::-1].cumsum()[::-1]
    fitting = np.flatnonzero(totals <= most)
    return float(_STEPS[max(int(fitting[0]) - 1, 0)]) if len(fitting) else float(_STEPS[-1])


def _seen(copies: Copies, wanted: Wanted) -> NDArray[np.bool_] | None:
    """Which copies to draw, bool (k,): those near a ray, else those inside of the picture; None where nearly all are."""
    if wanted.ray is not None:
        return _near_ray(copies, wanted.ray)
    if wanted.matrices is None or len(copies.positions) < WORTH_CULLING:
        return None
    seen = seen_copies(copies, *wanted.matrices)
    return seen if np.count_nonzero(seen) < 0.9 * len(seen) else None


def _near_ray(copies: Copies, ray: Ray) -> NDArray[np.bool_]:
    """Which copies, each taken as a ball, a pixel's ray may meet, bool (k,)."""
    offsets = copies.positions - ray.eye.astype(np.float32)
    along = offsets @ ray.direction.astype(np.float32)
    square = np.einsum("ij,ij->i", offsets, offsets) - along * along
    across = np.float32(ray.width) * (np.float32(1.0) if ray.parallel else np.abs(along))
    reach = copies.radii * np.float32(1.001) + across
    return np.asarray(square <= reach * reach + np.float32(1e-12))


def _box_around(form: Geometry) -> Geometry:
    """A box around a form, as it is drawn instead of it; the same one each time."""
    known: Geometry | None = form.__dict__.get("_box")
    if known is None:
        low, high = form.bounds
        x, y, z = np.maximum(high - low, 1e-6).tolist()
        made = primitives.box((x, y, z), 1)
        known = form.__dict__["_box"] = made.moved(made.points + ((low + high) * np.float32(0.5)).astype(np.float32))
    return known


def seen_copies(copies: Copies, view: NDArray[np.float64], projection: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which copies, each taken as a ball, may show in a picture, bool (k,). view, projection: float64 (4, 4)."""
    eye = copies.positions.astype(np.float32) @ view[:3, :3].T.astype(np.float32) + view[:3, 3].astype(np.float32)
    radii = copies.radii
    if projection[3, 3] == 1.0:
        middles = eye[:, :2] * projection[[0, 1], [0, 1]].astype(np.float32) + projection[:2, 3].astype(np.float32)
        reaches = radii[:, None] * np.abs(projection[[0, 1], [0, 1]]).astype(np.float32)
        return np.asarray((np.abs(middles) <= 1.0 + reaches).all(axis=1))
    depth = -eye[:, 2]
    seen: NDArray[np.bool_] = depth > -radii
    for axis in (0, 1):
        slope = np.float32(1.0 / abs(float(projection[axis, axis])))
        reach = depth * slope + radii * np.float32(np.sqrt(1.0 + float(slope) ** 2))
        seen &= np.abs(eye[:, axis]) <= reach
    return seen


def pixels_across(copies: Copies, view: NDArray[np.float64], projection: NDArray[np.float64], height: int) -> Floats:
    """How many pixels each copy is across at most, float32 (k,)."""
    row = view[2]
    depth = -(copies.positions @ row[:3].astype(np.float32) + np.float32(row[3]))
    scale = np.float32(abs(float(projection[1, 1])) * height)
    if projection[3, 3] == 1.0:
        return np.asarray(copies.radii * scale, np.float32)
    return np.asarray(copies.radii * scale / np.maximum(depth, np.float32(1e-6)), np.float32)
