"""Pictures for films: in tiles of any size, in linear light with alpha, anti-aliased by several draws, and with data layers.

Colour is premultiplied linear light, float32. Layers are taken at the middle of each pixel and not filtered, so that a depth or
an id is always that of one surface.
"""

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain
from estompe.render.drawers.drawer import Batch, Drawer
from estompe.render.item import Item, Look
from estompe.render.matrices import matrices_of
from estompe.render.renderer import (
    DARKENED,
    FACES_UNIT,
    Renderer,
)
from estompe.render.targets import release_framebuffer
from estompe.render.tiles import TILE, Tile, cropped, jitters, tiles_of
from estompe.render.view_transform import PLAIN, ViewTransform, shown
from estompe.render.viewpoint import Viewpoint

Pause = Callable[[], None]
Image = NDArray[np.float32]
_MOST_FORMS = 4_000_000
"""Pixels of the picture that occlusion is found in; larger ones are darkened by it as it is."""
MOST_SIDE = 8192


class Drawn(NamedTuple):
    """Layers of a picture, the upper row first.

    depth: float32 (h, w), scene units before the camera's plane, 0 where there is nothing; normal: float32 (h, w, 3), in the
    world; strength: float32 (h, w); motion: float32 (h, w, 2), pixels right and up until the next frame; shape: uint32 (h, w),
    the item's number from 1 on, 0 where there is nothing; element: uint32 (h, w), the copy's or piece's id, or the face's number.
    """

    depth: Image
    normal: Image
    strength: Image
    motion: Image
    shape: NDArray[np.uint32]
    element: NDArray[np.uint32]


class FinalRenderer(Renderer):
    """A renderer whose pictures go to files. It belongs to the thread that made it."""

    def color(
        self,
        items: Sequence[Item],
        viewpoint: Viewpoint,
        look: Look,
        size: tuple[int, int],
        samples: int = 1,
        pause: Pause = lambda: None,
        tile: int = TILE,
        offset: tuple[float, float] | None = None,
    ) -> Image:
        """Draw a picture with alpha, in premultiplied linear light.

        Parameters
        ----------
        items : sequence of Item
            The shapes to draw.
        viewpoint : Viewpoint
            The camera.
        look : Look
            How it is drawn.
        size : (int, int)
            Width and height, pixels.
        samples : int
            The number of draws with offsets within the pixel, each with four samples of its own.
        pause : callable
            Called between draws; it may raise to stop.
        tile : int
            The side of the tiles that are drawn one by one, pixels.
        offset : (float, float), optional
            The offset of a single draw, in pixels, instead of those of `samples`.

        Returns
        -------
        float32 (h, w, 4)
            The picture.
        """
        self.look_outside(items, viewpoint)
        whole = matrices_of(viewpoint, size, items)
        self.follow(items, look, whole, height=size[1])
        darkness = DARKENED.get(look.mode, 0.0) if look.occlusion else 0.0
        if darkness:
            self._find_occlusion(items, viewpoint, size, whole)
        made = np.zeros((size[1], size[0], 4), np.float32)
        for part in tiles_of(size, tile):
            for within in jitters(samples) if offset is None else [offset]:
                pause()
                made[part.area] += self._color_tile(items, look, size, whole, part, within, darkness)
        if samples > 1:
            made /= np.float32(samples)
        return made

    def _color_tile(
        self,
        items: Sequence[Item],
        look: Look,
        size: tuple[int, int],
        whole: tuple[Any, Any],
        tile: Tile,
        offset: tuple[float, float],
        darkness: float,
    ) -> Image:
        self._programs.begin(whole[0], cropped(whole[1], size, tile, offset))
        target = self._targets.of((tile.width, tile.height), 4, "f2")
        target.drawn.use()
        self.ready_to_draw()
        target.drawn.clear(0.0, 0.0, 0.0, 0.0)
        for item in items:
            self._draw_item(item, look)
        if darkness:
            window = (tile.width / size[0], tile.height / size[1], tile.left / size[0], tile.top / size[1])
            self._occlusion.apply(target.drawn, darkness, window)
        self._context.copy_framebuffer(target.read, target.drawn)
        out = np.empty((tile.height, tile.width, 4), np.float32)
        target.read.read_into(out, components=4, dtype="f4")
        return out

    def _find_occlusion(
        self, items: Sequence[Item], viewpoint: Viewpoint, size: tuple[int, int], whole: tuple[Any, Any]
    ) -> None:
        shrunk = min(1.0, (_MOST_FORMS / (size[0] * size[1])) ** 0.5)
        self._programs.begin(*whole)
        self.ready_to_draw()
        self.draw_forms(items, (max(2, round(size[0] * shrunk)), max(2, round(size[1] * shrunk))))
        self._occlusion.find(whole[1], viewpoint.distance)

    def layers(
        self,
        items: Sequence[Item],
        viewpoint: Viewpoint,
        size: tuple[int, int],
        later: tuple[Sequence[Item], Viewpoint] | None = None,
        pause: Pause = lambda: None,
        tile: int = TILE,
    ) -> Drawn:
        """Draw the data layers of a picture.

        Parameters
        ----------
        items : sequence of Item
            The shapes to draw, with the strength that is to be shown, if any.
        viewpoint : Viewpoint
            The camera.
        size : (int, int)
            Width and height, pixels.
        later : (sequence of Item, Viewpoint), optional
            The items and the camera of the next frame, for motion.
        pause : callable
            Called between tiles; it may raise to stop.
        tile : int
            The side of the tiles, pixels.

        Returns
        -------
        Drawn
            The layers.
        """
        whole = matrices_of(viewpoint, size, items)
        self.follow(items, Look("shaded"), whole, height=size[1], later=_moved(items, later))
        next_clip = _next_clip(viewpoint, size, items, later)
        parts = []
        for part in tiles_of(size, tile):
            pause()
            parts.append((part, self._layers_tile(items, size, whole, next_clip, part)))
        return _joined(parts, size)

    def strength(
        self,
        items: Sequence[Item],
        viewpoint: Viewpoint,
        size: tuple[int, int],
        pause: Pause = lambda: None,
        tile: int = TILE,
    ) -> Image:
        """The layer of strength alone, as in `layers`."""
        whole = matrices_of(viewpoint, size, items)
        self.follow(items, Look("shaded"), whole, height=size[1])
        next_clip = _next_clip(viewpoint, size, items, None)
        made = np.zeros((size[1], size[0]), np.float32)
        for part in tiles_of(size, tile):
            pause()
            with self._drawn_layers(items, size, whole, next_clip, part) as (textures, _):
                values = np.frombuffer(textures[1].read(), np.float32).reshape(part.height, part.width, 4)
            made[part.area] = np.where(values[..., 3] > 0, values[..., 0], np.float32(0.0))
        return made

    def ids(
        self,
        items: Sequence[Item],
        viewpoint: Viewpoint,
        size: tuple[int, int],
        offset: tuple[float, float] = (0.0, 0.0),
        tile: int = TILE,
    ) -> tuple[NDArray[np.uint32], NDArray[np.uint32]]:
        """The shape and the copy or piece under a place in each pixel.

        Parameters
        ----------
        items : sequence of Item
            The shapes to draw.
        viewpoint : Viewpoint
            The camera.
        size : (int, int)
            Width and height, pixels.
        offset : (float, float)
            The place in the pixel, from its middle, pixels.
        tile : int
            The side of the tiles, pixels.

        Returns
        -------
        uint32 (h, w), uint32 (h, w)
            The item's number from 1 on, 0 where there is nothing; the copy's or piece's id plus 1, 0 where the shape is whole.
        """
        whole = matrices_of(viewpoint, size, items)
        self.follow(items, Look("shaded"), whole, height=size[1])
        next_clip = _next_clip(viewpoint, size, items, None)
        shape, element = (np.zeros((size[1], size[0]), np.uint32) for _ in range(2))
        for part in tiles_of(size, tile):
            with self._drawn_layers(items, size, whole, next_clip, part, offset) as (textures, owners):
                values, ids = (
                    np.frombuffer(texture.read(), kind).reshape(part.height, part.width, 4)
                    for texture, kind in zip(textures[1:], (np.float32, np.uint32), strict=True)
                )
            shape[part.area], element[part.area] = _named(
                items, owners, ids.astype(np.uint32, copy=False), values[..., 3] > 0, faces=False
            )
        whole_ones = [number for number, item in enumerate(items, start=1) if not _comes_in_parts(item)]
        element += np.uint32(1)
        element[np.isin(shape, [0, *whole_ones])] = 0
        return shape, element

    def _layers_tile(
        self, items: Sequence[Item], size: tuple[int, int], whole: tuple[Any, Any], next_clip: Any, tile: Tile
    ) -> Drawn:
        kinds = (np.float32, np.float32, np.uint32)
        with self._drawn_layers(items, size, whole, next_clip, tile) as (textures, owners):
            form, values, ids = (
                np.frombuffer(texture.read(), kind).reshape(tile.height, tile.width, 4)
                for texture, kind in zip(textures, kinds, strict=True)
            )
        there = values[..., 3] > 0
        shape, element = _named(items, owners, ids.astype(np.uint32, copy=False), there)
        seen = np.where(there[..., None], np.concatenate([form, values[..., :3]], axis=-1), np.float32(0.0))
        normal, motion = np.ascontiguousarray(seen[..., :3]), np.ascontiguousarray(seen[..., 5:7])
        return Drawn(seen[..., 3].copy(), normal, seen[..., 4].copy(), motion, shape, element)

    @contextmanager
    def _drawn_layers(
        self,
        items: Sequence[Item],
        size: tuple[int, int],
        whole: tuple[Any, Any],
        next_clip: Any,
        tile: Tile,
        offset: tuple[float, float] = (0.0, 0.0),
    ) -> Iterator[tuple[list[Any], list[tuple[Item, Batch]]]]:
        """A tile of the layers: textures of normal and depth, of strength and motion, and of numbers; and whose those are."""
        projection = cropped(whole[1], size, tile, offset)
        crop = projection @ np.linalg.inv(whole[1])
        self._programs.begin(whole[0], projection)
        area, context = (tile.width, tile.height), self._context
        textures = [context.texture(area, 4, dtype=kind) for kind in ("f4", "f4", "u4")]
        target = context.framebuffer(textures, context.depth_renderbuffer(area))
        owners: list[tuple[Item, Batch]] = []
        try:
            target.use()
            self.ready_to_draw()
            target.clear(0.0, 0.0, 0.0, 0.0)
            self._next_clip = crop @ next_clip
            self._half_size = (tile.width / 2, tile.height / 2)
            for item in items:
                self._render(item, "layers", "triangles", owners=owners)
            yield textures, owners
        finally:
            release_framebuffer(target)

    def _program(self, item: Item, key: str, batch: Batch, drawer: Drawer, look: Look | None) -> Any:
        if key != "layers":
            return super()._program(item, key, batch, drawer, look)
        mesh, abilities = batch.mesh, [drawer.ability] if drawer.ability else []
        faced = mesh.by_faces or mesh.colors_by_faces
        program = self._programs.get("layers", *abilities, *["FACES"] * faced)
        program["next_clip"].write(self._next_clip.T.astype(np.float32).tobytes())
        program["half_size"].value = self._half_size
        program["moves"].value = drawer.moves()
        if faced:
            for name, value in (("by_faces", mesh.by_faces), ("colors_by_faces", mesh.colors_by_faces)):
                if name in program:
                    program[name].value = value
            mesh.use_values(program, FACES_UNIT)
        return program


def _moved(items: Sequence[Item], later: tuple[Sequence[Item], Viewpoint] | None) -> dict[str, NDArray[np.float32]]:
    """Where the points, or copies, of each item are on the next frame; of those alone that are as many there.

    Points float32 (n, 3); copies float32 (k, 12): positions, and the rows of what turns and sizes them.
    """
    if later is None:
        return {}
    there = {item.id: item.geometry for item in later[0]}
    found = {}
    for item in items:
        after = there.get(item.id)
        places = None if after is None else item.geometry.places_in(after)
        if places is not None:
            found[item.id] = places
    return found


def _next_clip(
    viewpoint: Viewpoint, size: tuple[int, int], items: Sequence[Item], later: tuple[Sequence[Item], Viewpoint] | None
) -> Any:
    view, projection = matrices_of(viewpoint if later is None else later[1], size, items)
    return projection @ view


def _named(
    items: Sequence[Item],
    owners: list[tuple[Item, Batch]],
    ids: NDArray[np.uint32],
    there: NDArray[np.bool_],
    faces: bool = True,
) -> tuple[NDArray[np.uint32], NDArray[np.uint32]]:
    """The item's number and the element's id of each pixel. faces: whether faces of whole shapes are elements, too."""
    numbers = {item.id: number for number, item in enumerate(items, start=1)}
    draws = np.where(there, ids[..., 0], np.uint32(0))
    shape = np.array([0, *(numbers[item.id] for item, _ in owners)], np.uint32)[draws]
    element = np.zeros(there.shape, np.uint32)
    for drawn, (item, batch) in enumerate(owners, start=1):
        if not (faces or _comes_in_parts(item)):
            continue
        mine = draws == drawn
        if not mine.any():
            continue
        triangles, copies = (ids[mine][:, column].astype(np.int64) for column in (1, 2))
        if batch.chosen is not None:
            copies = batch.chosen[copies]
        element[mine] = item.geometry.element_ids(triangles, copies).astype(np.uint32)
    return shape, element


def _comes_in_parts(item: Item) -> bool:
    """Whether an item is of copies, or in pieces."""
    return item.geometry.own_domain is Domain.PIECE or item.geometry.is_parted


def _joined(parts: list[tuple[Tile, Drawn]], size: tuple[int, int]) -> Drawn:
    if len(parts) == 1:
        return parts[0][1]
    made = []
    for index in range(len(Drawn._fields)):
        sample = parts[0][1][index]
        whole = np.zeros((size[1], size[0], *sample.shape[2:]), sample.dtype)
        for tile, drawn in parts:
            whole[tile.area] = drawn[index]
        made.append(whole)
    return Drawn(*made)


def display_values(picture: Image, view: ViewTransform = PLAIN) -> Image:
    """Premultiplied linear light as straight display values with alpha, 0..1, by the curve of IEC 61966-2-1 or a view."""
    alpha = picture[..., 3:]
    straight = np.asarray(picture[..., :3] / np.maximum(alpha, np.float32(1e-6)), np.float32)
    return np.concatenate([shown(straight, view), alpha], axis=-1, dtype=np.float32)
