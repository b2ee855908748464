"""Graphics buffers of copies: the forms once, and for each copy where it stands and what it shows."""

from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain
from estompe.geometry.copies import Copies
from estompe.kernels.types import Floats
from estompe.render.buffers import MeshBuffers, Slot

_FORMATS = {
    "place": ("3f/i", ("place",)),
    "axes": ("3f 3f 3f/i", ("row_x", "row_y", "row_z")),
    "scale": ("3f/i", ("scale",)),
    "strength": ("f/i", ("copy_strength",)),
    "range_position": ("f/i", ("copy_range_position",)),
    "color": ("3f/i", ("copy_color",)),
    "back_color": ("3f/i", ("copy_back_color",)),
}


class Drawn(NamedTuple):
    """One form with the copies that show it: its mesh buffers, a vertex array, how many copies, and which they are."""

    mesh: MeshBuffers
    array: Any
    copies: int
    chosen: NDArray[np.int64] | None


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
        self._bound: dict[tuple[str, str], Any] = {}

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
        uploaded, new = slot.follow(self._context, np.ascontiguousarray(array))
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

    def bound(self, key: str, program: Any, index: str) -> Any:
        if (key, index) not in self._bound:
            content = self.mesh.content(program)
            for name, (layout, attributes) in _FORMATS.items():
                if name in self._slots and all(item in program for item in attributes):
                    content.append((self._slots[name].buffer, layout, *attributes))
            self._bound[key, index] = self._context.vertex_array(program, content, self.mesh.index(index))
        return self._bound[key, index]

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


class CopiesBuffers:
    """The buffers of one shape of copies."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._groups: list[_Group] = []
        self._chosen: tuple[Any, ...] = ()
        self.uploads: list[str] = []

    def follow(
        self,
        copies: Copies,
        strength: Floats | None,
        range_position: Floats | None,
        edges: bool,
        seen: NDArray[np.bool_] | None = None,
        colors: Floats | None = None,
    ) -> None:
        """Upload what changed since the last picture.

        seen: bool (k,), which copies are to be drawn, None for all shown; colors: float32 (k, 3), instead of their own.
        """
        self.uploads = []
        while len(self._groups) > len(copies.forms):
            self._groups.pop().release()
        while len(self._groups) < len(copies.forms):
            self._groups.append(_Group(self._context))
            self._chosen = ()
        self._choose(copies, seen)
        arrays = {
            "place": copies.positions, "axes": copies.axes, "scale": copies.scales, "strength": strength,
            "range_position": range_position, "color": copies.attribute(Domain.PIECE, "color"),
            "back_color": copies.attribute(Domain.PIECE, "back_color"),
        }  # fmt: skip
        if colors is not None:
            arrays.update(color=colors, back_color=colors)
        for number, (group, form) in enumerate(zip(self._groups, copies.forms, strict=True)):
            group.uploads.clear()
            group.mesh.follow(form, None, None, edges)
            if group.mesh.uploads:
                group.unbind()
            for name, array in arrays.items():
                if array is not None:
                    group.into(name, array)
                else:
                    group.drop(name)
            self.uploads += [f"{number}.{name}" for name in (*group.mesh.uploads, *group.uploads)]

    def _choose(self, copies: Copies, seen: NDArray[np.bool_] | None) -> None:
        """Which copies each form has; found again only when that changes."""
        key = copies.form, copies.shown, seen
        if len(self._chosen) == 3 and all(a is b for a, b in zip(key, self._chosen, strict=True)):
            return
        self._chosen = key
        shown = copies.shown if seen is None else copies.shown & seen
        for number, group in enumerate(self._groups):
            mask = shown & (copies.form == number)
            if mask.all():
                group.choose(None, len(mask))
            else:
                index = np.flatnonzero(mask)
                group.choose(index, len(index))

    def drawn(self, key: str, program: Any, index: str) -> Iterator[Drawn]:
        """What there is to draw with a program over an index buffer ("triangles" or "edges")."""
        for group in self._groups:
            if group.count and group.mesh.size(index):
                yield Drawn(group.mesh, group.bound(key, program, index), group.count, group.index)

    def has(self, name: str) -> bool:
        """Whether copies have values of their own of that name."""
        return bool(self._groups) and self._groups[0].has(name)

    def release(self) -> None:
        """Give the graphics memory back."""
        for group in self._groups:
            group.release()
        self._groups.clear()
        self._chosen = ()


def seen_copies(copies: Copies, view: NDArray[np.float64], projection: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which copies, each taken as a ball, may show in a picture, bool (k,). view, projection: float64 (4, 4)."""
    eye = copies.positions.astype(np.float32) @ view[:3, :3].T.astype(np.float32) + view[:3, 3].astype(np.float32)
    radii = copies.radii
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
    return np.asarray(copies.radii * scale / np.maximum(depth, np.float32(1e-6)), np.float32)
