"""Copies on a grid."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.copying import CopiesSource, Laid, check_copies

_BITS = 20


@register
class CopiesOnGrid(CopiesSource, tag="copies-grid"):
    """Columns, rows and layers of copies in a box of a given size, about the shape's position."""

    label: ClassVar[str] = "Copies on a grid"
    text: ClassVar[str] = "Copies of a shape in columns, rows and layers."
    words: ClassVar[str] = (
        "array, instance, grid of copies, duplicate, matrix, rows and columns, copies, copy, repeat, wall, "
        "clone, mirror, lattice, tiling"
    )

    columns: Annotated[int, whole("Columns", "The number along X.", low=1, high=4000)] = 10
    layers: Annotated[int, whole("Layers", "The number along Y.", low=1, high=4000)] = 1
    rows: Annotated[int, whole("Rows", "The number along Z.", low=1, high=4000)] = 10
    size: Annotated[Triple, setting("Size", "The distance between the outer copies, X Y Z.", unit="length")] = (
        2.0,
        0.0,
        2.0,
    )
    staggered: Annotated[
        Number,
        setting("Stagger", "The shift of every second row, relative to the gap between columns.", unit="fraction",
                step=0.01, folded=True),
    ] = 0.0  # fmt: skip

    def lay(self, context: Context) -> Laid:
        del context
        counts = self.columns, self.layers, self.rows
        check_copies(self.columns * self.layers * self.rows, "use fewer columns, rows or layers")
        k, layer, row = np.meshgrid(*(np.arange(n) for n in counts), indexing="ij")
        column, layer, row = (index.transpose(1, 2, 0).reshape(-1) for index in (k, layer, row))
        size = plain_triple(self.size)
        positions = np.stack(
            [_along(index, n, length) for index, n, length in zip((column, layer, row), counts, size, strict=True)],
            axis=1,
        )
        shift = plain(self.staggered) * size[0] / max(self.columns - 1, 1)
        positions[:, 0] += np.where(row % 2 == 1, shift, 0.0)
        # Ids stay when columns, rows or layers are added.
        ids = column + (row << _BITS) + (layer << (2 * _BITS))
        return Laid(ids.astype(np.int64), positions.astype(np.float32))


def _along(index: np.ndarray, count: int, length: float) -> np.ndarray:
    return (index / max(count - 1, 1) - (0.5 if count > 1 else 0.0)) * length
