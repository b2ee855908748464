"""Graphics buffers that follow arrays: rewritten only when the array is another one."""

from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry
from estompe.kernels.types import Floats
from estompe.render.face_textures import FaceTexture


class Slot:
    """One buffer and the array that is in it."""

    def __init__(self) -> None:
        self.buffer: moderngl.Buffer | None = None
        self.size = 0
        self._array: NDArray[Any] | None = None
        self._rows: NDArray[Any] | None = None

    def follow(self, context: Any, array: NDArray[Any], rows: NDArray[Any] | None = None) -> tuple[bool, bool]:
        """Bring the array into the buffer. Returns whether it was uploaded and whether the buffer is a new one.

        rows: which of its rows are there, each as often as it is named; all if it is not given.
        """
        if array is self._array and rows is self._rows:
            return False, False
        self._array, self._rows = array, rows
        array = np.ascontiguousarray(array if rows is None else array[rows])
        self.size = array.nbytes
        if self.buffer is not None and self.buffer.size == array.nbytes:
            self.buffer.write(array)
            return True, False
        if self.buffer is not None:
            self.buffer.release()
        self.buffer = context.buffer(array if array.nbytes else b"\0" * 16)
        return True, True


_FORMATS = {
    "position": "3f",
    "normal": "3f",
    "strength": "f",
    "range_position": "f",
    "color": "3f",
    "back_color": "3f",
    "one_sided": "f",
    "next_position": "3f",
}
_OPTIONAL = ("color", "back_color", "one_sided")
_DROPPED = (*_OPTIONAL, "next_position")


class MeshBuffers:
    """The buffers of one shape, and the vertex arrays that bind them to programs."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._slots: dict[str, Slot] = {}
        self._bound: dict[tuple[int, str], Any] = {}
        self._faces = {"face_values": FaceTexture(context, 1), "face_colors": FaceTexture(context, 3)}
        self.by_faces = self.colors_by_faces = False
        self.uploads: list[str] = []
        self._rows: NDArray[Any] | None = None

    def follow(
        self,
        geometry: Geometry,
        strength: Floats | None,
        range_position: Floats | None,
        edges: bool,
        colors: Floats | None = None,
        later: Floats | None = None,
    ) -> None:
        """Upload what changed since the last picture.

        colors: float32 (points, 3), to be shown instead of its own; later: where points are on the next frame.
        """
        self.uploads = []
        # Points on hard edges are there once for each side, each with a normal of its own.
        shading = geometry.shading
        self._rows = None if shading is None else shading.sources
        self._into("position", geometry.points)
        self._all_into("normal", geometry.shaded_normals)
        self._all_into("triangles", (geometry.topology if shading is None else shading.topology).triangles)
        strength, range_position = self._of_faces(geometry, strength, range_position, colors)
        arrays = {"strength": strength, "range_position": range_position, "next_position": later}
        arrays.update({name: geometry.attribute(Domain.POINT, name) for name in _OPTIONAL})
        if colors is not None:
            arrays.update(color=colors, back_color=None)
        for name, array in arrays.items():
            if array is not None:
                self._into(name, array)
            elif name in self._slots and name in _DROPPED:
                self._drop(name)
        if edges:
            pairs = geometry.topology.edges
            self._all_into("edges", pairs if shading is None else shading.edges(pairs))
        if geometry.topology.lines is not None and not geometry.topology.faces:
            self._all_into("lines", geometry.topology.line_segments)

    def _of_faces(
        self, geometry: Geometry, strength: Floats | None, range_position: Floats | None, colors: Floats | None
    ) -> tuple[Floats | None, Floats | None]:
        """Take what is of faces into textures. Returns what is left for the points."""
        topology = geometry.topology
        own = geometry.attribute(Domain.FACE, "color") if colors is None else None
        self.colors_by_faces = own is not None
        if own is not None and self._faces["face_colors"].follow(own, topology.triangle_faces):
            self.uploads.append("face_colors")
        self.by_faces = strength is not None and len(strength) == topology.faces != len(geometry.points)
        if not self.by_faces or strength is None or range_position is None:
            return strength, range_position
        if self._faces["face_values"].follow(strength, topology.triangle_faces):
            self.uploads.append("face_values")
        return None, None

    def use_faces(self, program: Any, unit: int) -> None:
        """Bind the values of faces to texture units from a number on."""
        program["by_faces"].value, program["colors_by_faces"].value = self.by_faces, self.colors_by_faces
        for number, (name, texture) in enumerate(self._faces.items()):
            program[name].value = unit + number
            texture.use(unit + number)

    def use_values(self, program: Any, unit: int) -> None:
        """Bind the values of faces alone to a texture unit."""
        if "face_values" in program:
            program["face_values"].value = unit
            self._faces["face_values"].use(unit)

    def _into(self, name: str, array: NDArray[Any]) -> None:
        """Values of points into a buffer."""
        self._all_into(name, array, self._rows)

    def _all_into(self, name: str, array: NDArray[Any], rows: NDArray[Any] | None = None) -> None:
        slot = self._slots.setdefault(name, Slot())
        uploaded, new = slot.follow(self._context, array, rows)
        if uploaded:
            self.uploads.append(name)
        if new:
            self._unbind()

    def _drop(self, name: str) -> None:
        """Forget a buffer whose array the shape no longer has."""
        slot = self._slots.pop(name)
        self._unbind()
        if slot.buffer is not None:
            slot.buffer.release()

    def bound(self, program: Any, index: str) -> Any:
        """The vertex array of a program over an index buffer ("triangles" or "edges")."""
        if (id(program), index) not in self._bound:
            self._bound[id(program), index] = self._context.vertex_array(
                program, self.content(program), self.index(index)
            )
        return self._bound[id(program), index]

    def content(self, program: Any) -> list[tuple[Any, ...]]:
        """What a program reads for each point, as a vertex array takes it."""
        return [
            (self._slots[name].buffer, _FORMATS[name], name)
            for name in _FORMATS
            if name in program and name in self._slots
        ]

    def index(self, name: str) -> Any:
        """An index buffer."""
        return self._slots[name].buffer

    def size(self, name: str) -> int:
        """Bytes in an index buffer."""
        return self._slots[name].size if name in self._slots else 0

    def has(self, name: str) -> bool:
        """Whether there is a buffer of that name."""
        return name in self._slots

    def release(self) -> None:
        """Give the graphics memory back."""
        self._unbind()
        for texture in self._faces.values():
            texture.release()
        for slot in self._slots.values():
            if slot.buffer is not None:
                slot.buffer.release()
        self._slots.clear()

    def _unbind(self) -> None:
        for array in self._bound.values():
            array.release()
        self._bound.clear()
