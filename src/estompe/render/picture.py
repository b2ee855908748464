"""Pictures of frames, and pictures as files."""

from pathlib import Path

import numpy as np

from estompe.evaluation import Frame
from estompe.evaluation.frame import Shown
from estompe.files.atomic import written_whole
from estompe.render.item import Item, Look, Picture
from estompe.render.renderer import Renderer
from estompe.render.viewpoint import Viewpoint

LARGEST = 16_384


def items_of(frame: Frame, falloff: str | None = None, only: str | None = None) -> list[Item]:
    """The visible shapes of a frame as items; with a falloff's id, its strength on them.

    only: the id of the one shape that shows the strength, or None for all.
    """
    found = []
    for shape in frame.scene.shapes:
        if not shape.visible:
            continue
        shown = frame.shown(shape.id, falloff) if falloff is not None and only in (None, shape.id) else None
        item = Item(shape.id, frame[shape.id], shape.color)
        found.append(item if shown is None else with_falloff(item, shown))
    return found


def with_falloff(item: Item, shown: Shown) -> Item:
    """An item that shows a falloff."""
    strength, positions = (shown.to_draw(item.geometry, values) for values in (shown.strength, shown.positions))
    return item._replace(strength=strength, range_position=positions)


def camera_picture(frame: Frame, size: tuple[int, int], falloff: str | None = None) -> Picture:
    """Draw a frame through the scene's camera.

    Parameters
    ----------
    frame : Frame
        The evaluated frame.
    size : (int, int)
        Width and height, pixels.
    falloff : str, optional
        The id of a falloff whose strength is shown instead of colours.

    Returns
    -------
    uint8 (height, width, 4)
        The picture.

    Raises
    ------
    RenderError
        Where this machine cannot draw.
    """
    renderer = Renderer()
    try:
        look = Look("strength" if falloff is not None else "shaded")
        return renderer.draw(items_of(frame, falloff), Viewpoint.of_camera(frame.scene.camera), look, size)
    finally:
        renderer.release()


def save_png(picture: Picture, path: Path) -> None:
    """Write a picture as PNG, whole or not at all. Raises OSError."""
    from PIL import Image  # a library that a view needs not

    with written_whole(path) as part:
        Image.fromarray(np.ascontiguousarray(picture[..., :3])).save(part, "PNG")
