"""Importing a shot: shapes, controls and cameras of a scene that refer to the prims of an animated file."""

from collections import Counter
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, NamedTuple

from msgspec import structs

from estompe.document.edits import FreshNames
from estompe.document.names import clean_name
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, Follow, Scene, Shape, Transform
from estompe.files.places import is_open
from estompe.importing.footage import Footage, opened
from estompe.importing.link import Reading
from estompe.importing.stage import Entry
from estompe.kinds.context import CannotEvaluateError
from estompe.shapes.shot_copies import ShotCopies
from estompe.shapes.shot_mesh import ShotMesh

_COLORS = (
    (0.604, 0.554, 0.462),
    (0.342, 0.42, 0.448),
    (0.507, 0.393, 0.296),
    (0.296, 0.367, 0.296),
    (0.477, 0.448, 0.538),
)
_RATES, _LATEST = (1.0, 240.0), 100_000


class ShotError(ValueError):
    """A shot that cannot be imported; the text says what is wrong and what to do."""


class Imported(NamedTuple):
    """A project with a shot in it, the ids of its new shapes, what came in, in words, and what a person should know."""

    project: Project
    shapes: tuple[str, ...]
    words: str
    notes: tuple[str, ...]


def listed(path: Path, scene: Scene, go_on: Callable[[], None] = lambda: None) -> Footage:
    """Open an animated file to see what it holds.

    Parameters
    ----------
    path : Path
        The file.
    scene : Scene
        The scene whose units and rate it is read in.
    go_on : callable
        Called while waiting; it may raise to stop.

    Returns
    -------
    Footage
        The open file, with its tree of entries.

    Raises
    ------
    ShotError
        For a file that cannot be read.
    """
    try:
        name = str(path) if is_open(str(path)) else str(path.absolute())
        return opened(Reading.of(name, scene), go_on)
    except CannotEvaluateError as error:
        raise ShotError(str(error)) from None


def ticked_at_first(entries: Iterable[Entry]) -> frozenset[str]:
    """The prims that are imported unless somebody says otherwise: what is seen, cameras, and transforms that move."""
    return frozenset(
        entry.path
        for entry in entries
        if (entry.kind in ("mesh", "copies", "camera") and not entry.hidden)
        or (entry.kind == "transform" and entry.moves)
    )


def with_shot(
    project: Project,
    footage: Footage,
    only: Iterable[str] | None = None,
    exactly: bool = False,
) -> Imported:
    """Add the contents of an animated file to a project, by reference.

    Parameters
    ----------
    project : Project
        The scene and its arrays. A scene without shapes takes over frame range and rate.
    footage : Footage
        The open file.
    only : iterable of str, optional
        Paths of prims; each stands for everything below it, unless `exactly`. The ones that `ticked_at_first` gives by default.
    exactly : bool
        Whether only the prims themselves are meant.

    Returns
    -------
    Imported
        The project, and what was added.

    Raises
    ------
    ShotError
        Where nothing is left to import, or a prim is not there.
    """
    chosen = _chosen(footage, only, exactly)
    if not chosen:
        raise ShotError(f"{Path(footage.reading.file).name}: there is nothing in it that can be imported")
    scene, notes = _in_time(project.scene, footage)
    fresh, names = not project.scene.shapes and not project.scene.controls, FreshNames.beside(scene)
    shapes: list[Shape] = []
    controls: list[Control] = []
    cameras: list[Camera] = []
    for number, entry in enumerate(chosen):
        if entry.kind in ("mesh", "copies"):
            shapes.append(_shape(names, footage, entry, number))
        elif entry.kind == "camera":
            cameras.append(_camera(names, footage, entry))
        else:
            controls.append(Control(names.id("control"), _name(names, entry), transform=_followed(footage, entry)))
    if fresh and cameras:
        scene = structs.replace(scene, camera=cameras.pop(0))
    scene = structs.replace(
        scene,
        shapes=(*scene.shapes, *shapes),
        controls=(*scene.controls, *controls),
        other_cameras=(*scene.other_cameras, *cameras),
    )
    counts = Counter(entry.kind for entry in chosen)
    words = ", ".join(_counted(count, kind) for kind, count in counts.items())
    ids = tuple(shape.id for shape in shapes)
    return Imported(project.with_scene(scene), ids, words, (*footage.about.notes, *notes))


def _chosen(footage: Footage, only: Iterable[str] | None, exactly: bool) -> list[Entry]:
    entries = [entry for entry in footage.about.entries if entry.kind != "other"]
    if only is None:
        wanted = ticked_at_first(entries)
        return [entry for entry in entries if entry.path in wanted]
    if exactly:
        named = set(only)
        return [entry for entry in entries if entry.path in named]
    found: dict[str, Entry] = {}
    for name in only:
        own = [entry for entry in entries if entry.path == name]
        below = [entry for entry in entries if entry.path.startswith(name.rstrip("/") + "/")]
        if not own and not below:
            known = ", ".join(entry.path for entry in entries[:12])
            raise ShotError(f"there is no prim {clean_name(name)} in it; there are {known}")
        seen = ticked_at_first(below)
        found.update({entry.path: entry for entry in (*own, *(entry for entry in below if entry.path in seen))})
    # A transform that only holds what was asked for is not asked for itself.
    return [entry for entry in entries if entry.path in found]


def _in_time(scene: Scene, footage: Footage) -> tuple[Scene, list[str]]:
    """The scene with the file's frame range and rate, where it has no say of its own yet; and what a person should know."""
    about, notes = footage.about, []
    if footage.scale != 1.0:
        own = f"{about.metres_per_unit:g} m, the scene's {scene.metres_per_unit:g} m"
        notes.append(f"its units are {own}: lengths are scaled by {footage.scale:g}")
    if about.up == "Z":
        notes.append("Z is up in it and Y here: it is turned")
    rate = about.frames_per_second
    if scene.shapes or scene.controls:
        if rate is not None and rate != scene.frames_per_second:
            notes.append(
                f"it has {rate:g} frames per second and the scene {scene.frames_per_second:g}: it keeps its speed"
            )
        return scene, notes
    if rate is not None and _RATES[0] <= rate <= _RATES[1]:
        scene = structs.replace(scene, frames_per_second=rate)
    if about.first is not None and about.last is not None:
        frames = [
            round(code * scene.frames_per_second / (about.rate or scene.frames_per_second))
            for code in (about.first, about.last)
        ]
        if max(map(abs, frames)) < _LATEST:
            scene = structs.replace(scene, first=frames[0], last=max(frames))
    return scene, notes


def _shape(names: FreshNames, footage: Footage, entry: Entry, number: int) -> Shape:
    kind = ShotMesh if entry.kind == "mesh" else ShotCopies
    source = kind(footage.reading.name, entry.path)
    color = entry.color or _COLORS[number % len(_COLORS)]
    return Shape(names.id("shape"), _name(names, entry), source, _followed(footage, entry), color=color)


def _camera(names: FreshNames, footage: Footage, entry: Entry) -> Camera:
    return structs.replace(Camera(), name=_name(names, entry), follows=Follow(footage.reading.name, entry.path))


def _followed(footage: Footage, entry: Entry) -> Transform:
    return Transform(follows=Follow(footage.reading.name, entry.path))


def _name(names: FreshNames, entry: Entry) -> str:
    return names.name(clean_name(entry.name, "Prim")[:180])


def _counted(count: int, kind: str) -> str:
    words = {"mesh": "meshes", "copies": "sets of copies", "camera": "cameras", "transform": "transforms"}
    single = {"mesh": "mesh", "copies": "set of copies", "camera": "camera", "transform": "transform"}
    return f"{count} {single[kind] if count == 1 else words[kind]}"


def look_through(scene: Scene, name: str) -> Scene:
    """The scene looked at through another of its cameras, by name. Raises LookupError."""
    if name in (scene.camera.name, "camera"):
        return scene
    for index, camera in enumerate(scene.other_cameras):
        if camera.name == name:
            others = (*scene.other_cameras[:index], scene.camera, *scene.other_cameras[index + 1 :])
            return structs.replace(scene, camera=camera, other_cameras=others)
    known: list[Any] = [scene.camera.name, *(camera.name for camera in scene.other_cameras)]
    raise LookupError(f"there is no camera “{name}”; there are {', '.join(known)}")
