"""Meshes and strands: buffers of their points, and one batch over them."""

from collections.abc import Iterator
from functools import partial
from typing import Any

from estompe.render.buffers import MeshBuffers
from estompe.render.drawers.drawer import Batch, Drawer, Wanted, draws
from estompe.render.item import Item
from estompe.render.pieces import piece_colors


@draws("mesh")
class MeshDrawer(Drawer):
    """Draws a mesh."""

    def __init__(self, context: Any) -> None:
        super().__init__(context)
        self.buffers = MeshBuffers(context)

    def follow(self, item: Item, wanted: Wanted) -> None:
        colors = piece_colors(item.geometry) if wanted.by_pieces else None
        self.buffers.follow(item.geometry, item.strength, item.range_position, wanted.wire, colors, wanted.later)
        self.uploads = self.buffers.uploads

    def batches(self, index: str) -> Iterator[Batch]:
        if self.buffers.size(index):
            yield Batch(self.buffers, partial(self.buffers.bound, index=index), lines=index == "edges")

    def moves(self) -> bool:
        return self.buffers.has("next_position")

    def release(self) -> None:
        self.buffers.release()


@draws("strands")
class StrandsDrawer(MeshDrawer):
    """Draws strands: as what their lines were given for a surface, else as the lines."""

    darkens = False  # too thin to keep light away, and what is behind them shows between them

    def batches(self, index: str) -> Iterator[Batch]:
        lines = index == "triangles" and not self.buffers.size(index) and self.buffers.size("lines")
        if lines:
            yield Batch(self.buffers, partial(self.buffers.bound, index="lines"), lines=True)
        else:
            yield from super().batches(index)
