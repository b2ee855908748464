"""Values of faces as textures that are looked up by the number of the triangle."""

from typing import Any

import moderngl
import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Floats, Indices

_WIDTH = 2048


class FaceTexture:
    """One value, or a few, for each triangle; filled again only when the values are others."""

    def __init__(self, context: Any, components: int) -> None:
        self._context, self._components = context, components
        self._texture: Any = None
        self._of: tuple[Any, ...] = ()

    def follow(self, values: tuple[Floats, ...], triangle_faces: Indices) -> bool:
        """Bring values of faces into the texture. values: float32 (faces,) or (faces, k) each. Returns whether it was filled."""
        if len(self._of) == len(values) and all(a is b for a, b in zip(self._of, values, strict=True)):
            return False
        self._of = values
        columns = [value.reshape(len(value), -1) for value in values]
        flat: NDArray[np.float32] = np.concatenate(columns, axis=1)[triangle_faces]
        height = max(1, -(-len(flat) // _WIDTH))
        laid = np.zeros((height * _WIDTH, self._components), np.float32)
        laid[: len(flat), : flat.shape[1]] = flat
        if self._texture is None or self._texture.size != (_WIDTH, height):
            self.release()
            self._of = values
            self._texture = self._context.texture((_WIDTH, height), self._components, dtype="f4")
            self._texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
        self._texture.write(laid)
        return True

    def use(self, unit: int) -> None:
        """Bind it to a texture unit."""
        if self._texture is not None:
            self._texture.use(unit)

    def release(self) -> None:
        """Give the graphics memory back."""
        if self._texture is not None:
            self._texture.release()
            self._texture = None
        self._of = ()
