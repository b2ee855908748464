"""Sequences of mesh files, one per shape and frame."""

import re
import shutil
import tempfile
from pathlib import Path

from estompe.document.project import Project
from estompe.document.scene import Scene, Shape
from estompe.evaluate import Frame
from estompe.exchange import obj, ply
from estompe.exchange.bake import Form, check_folder, check_frames, frames, strengths
from estompe.exchange.errors import ExchangeError, Tell


def write(
    project: Project, first: int, last: int, folder: Path, form: Form, tell: Tell = lambda _share, _text: None
) -> list[Path]:
    """Bake frames to `shape.0001.obj` or `.ply` files in a folder, which is made if it is not there.

    The files appear together once all are written, or not at all. Returns them. `tell` may raise to cancel. Raises
    ExchangeError.
    """
    check_frames(first, last)
    check_folder(folder)
    if folder.exists() and not folder.is_dir():
        raise ExchangeError(f"{folder}: is a file, not a folder")
    try:
        with tempfile.TemporaryDirectory(prefix=".estompe-", dir=folder.parent) as name:
            part = Path(name)
            names = _file_names(project.scene)
            for frame in frames(project, first, last, tell):
                for shape in frame.scene.shapes:
                    _write_one(frame, shape, part / f"{names[shape.id]}.{int(frame.number):04d}.{form}", form)
            return _moved(part, folder)
    except OSError as error:
        raise ExchangeError(f"{folder}: cannot be written ({error.strerror or error})") from None


def _write_one(frame: Frame, shape: Shape, path: Path, form: Form) -> None:
    if form == "obj":
        obj.write(frame[shape.id], shape.name, path)
        return
    named = {f"strength_{_plain(name)}": values for name, values in strengths(frame, shape).items()}
    ply.write(frame[shape.id], named, path)


def _moved(part: Path, folder: Path) -> list[Path]:
    folder.mkdir(exist_ok=True)
    made = []
    for file in sorted(part.iterdir()):
        target = folder / file.name
        shutil.move(file, target)
        made.append(target)
    return made


def _file_names(scene: Scene) -> dict[str, str]:
    names: dict[str, str] = {}
    for shape in scene.shapes:
        stem = _plain(shape.name)
        found, number = stem, 2
        while found in names.values():
            found, number = f"{stem}-{number}", number + 1
        names[shape.id] = found
    return names


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or "shape"
