"""Values of faces as textures that are looked up by the number of the triangle."""

from typing import Any

import moderngl
import numpy as np

from estompe.kernels.types import Floats, Indices

_WIDTH = 2048  # the shaders know it, too


class FaceTexture:
    """One value, or a few, for each triangle; filled again only when the values are others."""

    def __init__(self, context: Any, components: int) -> None:
        self._context, self._components = context, components
        self._texture: Any = None
        self._of: Floats | None = None

    def follow(self, values: Floats, triangle_faces: Indices) -> bool:
        """Bring values of faces into the texture. values: float32 (faces, ...). Returns whether it was filled."""
        if self._of is values:
            return False
        self._of = values
        count = len(triangle_faces)
        height = max(1, -(-count // _WIDTH))
        laid = np.empty((height * _WIDTH, self._components), np.float32)
        laid[count:] = 0.0
        np.take(values.reshape(len(values), self._components), triangle_faces, axis=0, out=laid[:count], mode="clip")
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
        self._of = None
