"""Contact sheets: variants of a scene, or a range of one or two numbers, drawn side by side with labels, still or as a movie."""

import math
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Bitmap
from PIL import ImageDraw

from estompe.baking.frames import check_folder, check_frames
from estompe.baking.states import past_of
from estompe.document.differences import in_words
from estompe.document.edits import ScenePath, put
from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.document.variants import Variant
from estompe.document.varying import Varied
from estompe.evaluation import Memo
from estompe.evaluation.time.past import Past
from estompe.files.atomic import written_whole
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.reads import check_not_read
from estompe.output import movie
from estompe.output.lettering import font_in
from estompe.output.painter import Painter, Settings
from estompe.output.picture_files import bytes_of
from estompe.render.final import FinalRenderer
from estompe.render.item import GROUND

MOST_CELLS = 400
_GAP = 6
_PAPER, _INK = (242, 237, 229), (38, 34, 30)
Pixels = NDArray[np.uint8]


class Cell(NamedTuple):
    """One scene of a sheet, and what is written below it. changes: the numbers in which it differs, where it is of numbers."""

    label: str
    scene: Scene
    changes: tuple[tuple[ScenePath, float], ...] = ()

    def taken_into(self, scene: Scene) -> Scene:
        """Another scene with the same numbers; everything else in it stays. Raises EditError where it has no such numbers."""
        for path, value in self.changes:
            scene = put(scene, path, value)
        return scene


Cells = list[list[Cell]]
"""Row after row."""


def cells_of_variants(scene: Scene, variants: Sequence[Variant], columns: int = 0) -> Cells:
    """The present scene, and each variant; columns: in a row, 0 for a grid that is about as wide as high."""
    return _wrapped([Cell("as it stands", scene), *(Cell(item.name, item.scene) for item in variants)], columns)


def cells_of_numbers(scene: Scene, varied: Sequence[Varied]) -> Cells:
    """A scene with one number at each of its values, or two against each other, the first across. Raises ValueError."""
    if not 1 <= len(varied) <= 2:
        raise ValueError(f"{len(varied)} numbers: one or two can be varied on a sheet")
    across = varied[0]
    made = [_cell(_label(across, value), Cell("", scene), across, value) for value in across.values]
    if len(varied) == 1:
        return _wrapped(made)
    down = varied[1]
    rows = [
        [_cell(f"{cell.label}   {_label(down, value)}", cell, down, value) for cell in made] for value in down.values
    ]
    return _checked(rows)


def _cell(label: str, before: Cell, varied: Varied, value: float) -> Cell:
    return Cell(label, varied.in_scene(before.scene, value), (*before.changes, (varied.path, value)))


def _label(varied: Varied, value: float) -> str:
    short = ".".join(varied.name.split(".")[-2:])
    return f"{short} {in_words(value)}"


def _wrapped(cells: list[Cell], columns: int = 0) -> Cells:
    columns = columns or math.ceil(math.sqrt(len(cells)))
    return _checked([cells[begin : begin + columns] for begin in range(0, len(cells), columns)])


def _checked(rows: Cells) -> Cells:
    count = sum(map(len, rows))
    if count > MOST_CELLS:
        raise ValueError(f"{count} pictures are more than {MOST_CELLS}: use fewer values")
    return rows


class Drawing:
    """Draws the cells of a sheet with one renderer and one memo: what they share is computed once. To be closed."""

    def __init__(self, project: Project, cells: Cells, size: tuple[int, int], falloff: str | None = None) -> None:
        self._cells, self._size = cells, size
        settings = Settings(size, 1, 0.0, (), falloff, GROUND)
        self._renderer = FinalRenderer()
        memo = Memo()
        keep = past_of(project).keep
        self._painters = [
            [
                Painter(own, settings, Past(own, memo, keep), self._renderer)
                for own in map(project.with_scene, _scenes(row))
            ]
            for row in cells
        ]

    def close(self) -> None:
        """Give the graphics memory back."""
        self._renderer.release()

    def pictures(self, frame: float) -> Iterator[tuple[int, int, Pixels]]:
        """Each cell on a frame: its row, its column, and uint8 (h, w, 3); a grey one where the scene cannot be drawn."""
        for row, painters in enumerate(self._painters):
            for column, painter in enumerate(painters):
                try:
                    yield row, column, bytes_of(painter.paint(frame))[..., :3]
                except ExchangeError:
                    yield row, column, np.full((self._size[1], self._size[0], 3), 128, np.uint8)


def _scenes(row: list[Cell]) -> list[Scene]:
    return [cell.scene for cell in row]


def write(
    project: Project,
    cells: Cells,
    first: float,
    last: float,
    path: Path,
    size: tuple[int, int],
    progress: Progress = lambda _fraction, _text: None,
    falloff: str | None = None,
) -> None:
    """Write a sheet as a PNG of one frame, or a movie of one or several, whole or not at all.

    first, last: whole frames, or twice the same one, which may lie between whole ones.
    size: of each cell, pixels. `progress` may raise to cancel. Raises ExchangeError.
    """
    still = path.suffix.lower() == ".png"
    if not still and path.suffix.lower() not in movie.ENDINGS:
        raise ExchangeError(f"{path}: end it in .png for one frame, or in {' or '.join(movie.ENDINGS)}")
    if still and last > first:
        raise ExchangeError(f"{path}: a PNG shows one frame; end it in {' or '.join(movie.ENDINGS)} for several")
    check_frames(first, last)
    check_folder(path)
    frames = [first] if first == last else [float(number) for number in range(round(first), round(last) + 1)]
    check_not_read(project, [path])
    if not still:
        movie.check_encoder(path)
    layout = Layout(cells, size)
    total = sum(map(len, cells)) * len(frames)
    drawing = Drawing(project, cells, size, falloff)
    done = 0

    def sheet(frame: float) -> Pixels:
        nonlocal done
        pictures = {}
        for row, column, picture in drawing.pictures(frame):
            progress(done / total, f"frame {frame:g}, picture {done + 1} of {total}")
            pictures[row, column] = picture
            done += 1
        return layout.composed(pictures)

    try:
        with written_whole(path) as part:
            if still:
                Bitmap.fromarray(sheet(frames[0])).save(part, "PNG")
            else:
                with movie.Encoder(part, path.suffix.lower(), layout.size, project.scene.frames_per_second) as encoder:
                    for frame in frames:
                        encoder.add(sheet(frame))
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be written ({error.strerror or error})") from None
    finally:
        drawing.close()
    progress(1.0, "done")


class Layout:
    """Where cells and their labels stand. size: of the whole, even in both directions."""

    def __init__(self, cells: Cells, size: tuple[int, int]) -> None:
        self._cells, self._cell = cells, size
        self._strip = max(16, round(size[1] / 12))
        columns = max(map(len, cells))
        width = columns * (size[0] + _GAP) + _GAP
        height = len(cells) * (size[1] + self._strip + _GAP) + _GAP
        self.size = width + width % 2, height + height % 2
        self._font = font_in(self._strip)

    def composed(self, pictures: dict[tuple[int, int], Pixels]) -> Pixels:
        """The sheet, uint8 (h, w, 3)."""
        sheet = Bitmap.new("RGB", self.size, _PAPER)
        draw = ImageDraw.Draw(sheet)
        for row, cells in enumerate(self._cells):
            for column, cell in enumerate(cells):
                left = _GAP + column * (self._cell[0] + _GAP)
                top = _GAP + row * (self._cell[1] + self._strip + _GAP)
                sheet.paste(Bitmap.fromarray(np.ascontiguousarray(pictures[row, column])), (left, top))
                middle = top + self._cell[1] + self._strip / 2
                draw.text((left + 2, middle), self._fitting(draw, cell.label), font=self._font, fill=_INK, anchor="lm")
        return np.asarray(sheet)

    def _fitting(self, draw: ImageDraw.ImageDraw, text: str) -> str:
        while len(text) > 4 and draw.textlength(text, font=self._font) > self._cell[0] - 4:
            text = f"{text[:-2].rstrip('…')}…"
        return text
