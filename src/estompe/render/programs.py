"""Shader programs, each compiled when it is first needed: what a picture does not show must not cost it anything."""

import re
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

_SOURCES = {"forms": ("surface", "forms")}
"""Vertex and fragment shader of programs whose name is not that of both."""
_INCLUDE = re.compile(r'^#include "(\w+\.glsl)"$', re.MULTILINE)


class Programs:
    """Programs by name and by what they can do: words such as "COPIES" that their sources ask for with `#ifdef`."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._made: dict[tuple[str, ...], Any] = {}
        self._set: set[tuple[str, ...]] = set()
        self._matrices = np.eye(4), np.eye(4)
        self._to_display = False

    def begin(self, view: NDArray[np.float64], projection: NDArray[np.float64], to_display: bool = False) -> None:
        """From now on programs see the world through these matrices, float64 (4, 4).

        to_display: whether they write display values, else linear light.
        """
        self._matrices, self._to_display = (view, projection), to_display
        self._set.clear()

    @property
    def to_display(self) -> bool:
        """Whether programs write display values."""
        return self._to_display

    def get(self, name: str, *abilities: str) -> Any:
        """A program, compiled once, with the matrices of this picture."""
        key = (name, *abilities)
        if key not in self._made:
            self._made[key] = self._compiled(name, abilities)
        if key not in self._set:
            self._set.add(key)
            set_matrices(self._made[key], *self._matrices)
            if "to_display" in self._made[key]:
                self._made[key]["to_display"].value = self._to_display
        return self._made[key]

    def plain(self, vertex: str, fragment: str) -> Any:
        """A program of its own that no matrices are set for."""
        return self._linked(vertex, fragment, ())

    def _compiled(self, name: str, abilities: tuple[str, ...]) -> Any:
        return self._linked(*_SOURCES.get(name, (name, name)), abilities)

    def _linked(self, vertex: str, fragment: str, abilities: tuple[str, ...]) -> Any:
        return self._context.program(
            vertex_shader=_source(f"{vertex}.vert", abilities), fragment_shader=_source(f"{fragment}.frag", abilities)
        )


def set_matrices(program: Any, view: NDArray[np.float64], projection: NDArray[np.float64]) -> None:
    """Let a program see the world through matrices, float64 (4, 4)."""
    program["view"].write(view.T.astype(np.float32).tobytes())
    program["projection"].write(projection.T.astype(np.float32).tobytes())


def _source(file: str, abilities: tuple[str, ...]) -> str:
    version, rest = _text(file).split("\n", 1)
    rest = _INCLUDE.sub(lambda match: _text(match[1]), rest)
    return "\n".join([version, *(f"#define {word}" for word in abilities), rest])


def _text(file: str) -> str:
    return (resources.files("estompe.render") / "shaders" / file).read_text()
