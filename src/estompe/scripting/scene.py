"""A scene as scripts build it: shapes, controls and falloffs are handles, and every change is checked where it is made."""

import os
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
from msgspec import MsgspecError
from numpy.typing import ArrayLike

from estompe.document import edits, file
from estompe.document.check import SceneError, check_change
from estompe.document.edits import FreshNames, ScenePath
from estompe.document.naming import path_of
from estompe.document.project import Project
from estompe.document.renaming import rename
from estompe.document.scene import Control as ControlPart
from estompe.document.scene import Falloff as FalloffPart
from estompe.document.scene import Scene as ScenePart
from estompe.document.scene import Shape as ShapePart
from estompe.document.scene import Transform
from estompe.evaluation import Frame, Memo, evaluate
from estompe.geometry import Geometry, Topology, frozen
from estompe.kinds.kind import ShapeSource
from estompe.kinds.registry import kinds
from estompe.scripting.checks import checked, in_words, plain, triple, with_names, with_settings
from estompe.scripting.handles import Control, Falloff, Handle, Shape
from estompe.scripting.values import ScriptError, unknown
from estompe.setups import adding, own
from estompe.setups.meshes import with_mesh
from estompe.setups.shot import listed, with_shot

Name = str | os.PathLike[str]
_MEMO = Memo()
_FAMILIES = {"shape": "shapes", "control": "controls", "falloff": "falloffs"}


class Scene:
    """A scene that is being built. `project` is the frozen scene with its arrays, as all functions of estompe take it."""

    def __init__(self, fps: float = 24.0, first: int = 1, last: int = 144, metres_per_unit: float = 1.0) -> None:
        scene = ScenePart(frames_per_second=float(fps), first=first, last=last, metres_per_unit=metres_per_unit)
        if last < first:
            raise ScriptError(f"the last frame ({last}) is before the first ({first})")
        self.project = Project(scene)

    @classmethod
    def of(cls, project: Project) -> "Scene":
        """Go on with a project, such as one that `estompe.open` gave."""
        scene = cls()
        scene.project = project
        return scene

    # What is in it

    @property
    def shapes(self) -> list[Shape]:
        """All shapes."""
        return [Shape.of(self, item.id) for item in self.project.scene.shapes]

    @property
    def controls(self) -> list[Control]:
        """All controls."""
        return [Control.of(self, item.id) for item in self.project.scene.controls]

    @property
    def falloffs(self) -> list[Falloff]:
        """All falloffs."""
        return [Falloff.of(self, item.id) for item in self.project.scene.falloffs]

    def find(self, name: str) -> Any:
        """A shape, control or falloff by its name or id. Raises ScriptError, with the names there are."""
        every: list[Handle] = [*self.shapes, *self.controls, *self.falloffs]
        for handle in every:
            if name in (handle.name, str.__str__(handle)):
                return handle
        raise unknown("part called", name, (handle.name for handle in every))

    def __getitem__(self, name: str) -> Any:
        """A number by its dotted name, as formulas use it, such as `scene["Amphora.Push.amount"]`."""
        return edits.get(self.project.scene, self._path(name))

    def __setitem__(self, name: str, value: Any) -> None:
        self.put(self._path(name), plain(value))

    def _path(self, name: str) -> ScenePath:
        try:
            return path_of(self.project.scene, tuple(name.split(".")))
        except LookupError as error:
            raise ScriptError(str(error)) from None

    def __iter__(self) -> Iterator[Any]:
        return iter([*self.shapes, *self.controls, *self.falloffs])

    # Building

    def shape(self, kind: str | ShapeSource = "box", name: str = "", **settings: Any) -> Shape:
        """Add a shape that is made from nothing or of others.

        Parameters
        ----------
        kind : str or ShapeSource
            Such as "box", or `es.Lathe(...)`.
        name : str
            Its name; that of its kind if left out.
        **settings
            Settings of the kind, and `position`, `rotation`, `scale` and `color`.

        Returns
        -------
        Shape
            The new shape.

        Raises
        ------
        ScriptError
            For a kind or setting that is not there, or a value that does not fit.
        """
        transform = {key: settings.pop(key) for key in ("position", "rotation", "scale", "parent") if key in settings}
        color = settings.pop("color", None)
        if isinstance(kind, str):
            if kind not in kinds(ShapeSource):
                raise unknown("kind of shape", kind, kinds(ShapeSource))
            struct = kinds(ShapeSource)[kind]
            source = with_names(struct, settings)
        else:
            source = with_settings(kind, settings)
        scene, new = adding.add_shape(self.project.scene, name or source.label, plain(source))
        self.replace(scene, ("shapes", new), ShapePart)
        shape: Shape = Shape.of(self, new)
        if transform:
            shape.place(**transform)
        return shape if color is None else shape.colored(*color)

    def mesh(self, points: ArrayLike, faces: Iterable[Sequence[int]], name: str = "Mesh") -> Shape:
        """Add a mesh from arrays.

        Parameters
        ----------
        points : array of float, (n, 3)
            Positions, scene units.
        faces : iterable of sequences of int
            The points of each face, of any number.
        name : str
            Its name.

        Returns
        -------
        Shape
            The new shape. Raises ScriptError for faces that name points there are not.
        """
        places = np.ascontiguousarray(points, np.float32).reshape(-1, 3)
        corners = [np.asarray(face, np.int64) for face in faces]
        flat = np.concatenate(corners) if corners else np.zeros(0, np.int64)
        if len(flat) and (flat.min() < 0 or flat.max() >= len(places)):
            raise ScriptError(f"a face names a point that is not there; there are {len(places)} points")
        if not np.isfinite(places).all():
            raise ScriptError("a point is not a finite number")
        offsets = np.concatenate([[0], np.cumsum([len(face) for face in corners])])
        topology = Topology(frozen(flat.astype(np.int32)), frozen(offsets.astype(np.int32)), len(places))
        self.project, new = with_mesh(self.project, Geometry(frozen(places), topology), Path(name))
        return self._named(new, name)

    def import_mesh(self, path: Name, name: str = "") -> Shape:
        """Import a mesh file (OBJ, PLY, USD or glTF); named after the file unless a name is given. Raises ImportFailed."""
        from estompe.importing.isolated import read_mesh_isolated

        mesh = read_mesh_isolated(Path(path), lambda _fraction, _text: None)
        self.project, new = with_mesh(self.project, mesh, Path(path))
        return self._named(new, name) if name else Shape.of(self, new)

    def import_shot(self, path: Name, prims: Iterable[str] | None = None) -> list[Shape]:
        """Import an animated USD or glTF file by reference: its meshes, copies, cameras and moving transforms."""
        footage = listed(Path(path), self.project.scene)
        imported = with_shot(self.project, footage, prims)
        self.project = imported.project
        return [Shape.of(self, name) for name in imported.shapes]

    def _named(self, shape: str, name: str) -> Shape:
        self.replace(rename(self.project.scene, ("shapes", shape), name))
        return Shape.of(self, shape)  # type: ignore[no-any-return]

    def control(
        self,
        form: Literal["sphere", "box", "plane", "cylinder", "path", "wind"] = "sphere",
        name: str = "Control",
        position: Any = (0.0, 0.0, 0.0),
        points: Iterable[Sequence[float]] = (),
        **transform: Any,
    ) -> Control:
        """Add a control.

        Parameters
        ----------
        form : str
            "sphere", "box", "plane", "cylinder", "path" or "wind".
        name : str
            Its name.
        position : three numbers
            World position, scene units; each can be keyed.
        points : iterable of three numbers
            Of a path, in local space.
        **transform
            `rotation` (degrees), `scale` and `parent`.

        Returns
        -------
        Control
            The new control.
        """
        name_of = FreshNames.beside(self.project.scene)
        new = name_of.id("control")
        line = tuple((float(x), float(y), float(z)) for x, y, z in points)
        part = ControlPart(new, name_of.name(name), form, Transform(triple("position", position)), points=line)
        self.insert(("controls",), part, ControlPart)
        control: Control = Control.of(self, new)
        return control.place(**transform) if transform else control  # type: ignore[no-any-return]

    def falloff(self, name: str = "Falloff") -> Falloff:
        """Add a falloff without layers."""
        fresh = FreshNames.beside(self.project.scene)
        new = fresh.id("falloff")
        self.insert(("falloffs",), FalloffPart(new, fresh.name(name)), FalloffPart)
        return Falloff.of(self, new)  # type: ignore[no-any-return]

    def apply(self, setup: Name, shapes: Shape | Iterable[Shape]) -> None:
        """Put a set-up, by its name or file, on shapes at their size."""
        path = own.kept().get(str(setup), Path(setup))
        for shape in [shapes] if isinstance(shapes, str) else list(shapes):
            frame = self.evaluate(self.project.scene.first)
            bounds = frame.states_of(str.__str__(shape))[0].bounds
            self.project = own.fitted(self.project, str.__str__(shape), *bounds, own.load(path)).project

    # Changing it, with checks

    def put(self, path: ScenePath, value: Any) -> None:
        """Replace one part. Raises ScriptError where it does not fit."""
        try:
            scene: ScenePart = edits.put(self.project.scene, path, plain(value))
        except edits.EditError as error:
            raise ScriptError(str(error)) from None
        owner = path[:2] if path[0] in _FAMILIES.values() else ()
        kind = {"shapes": ShapePart, "controls": ControlPart, "falloffs": FalloffPart}.get(str(path[0]), ScenePart)
        self.replace(scene, owner, kind)

    def insert(self, collection: ScenePath, item: Any, kind: type) -> None:
        """Add a part at the end of a collection. Raises ScriptError where it does not fit."""
        part = plain(item)
        self.replace(edits.insert(self.project.scene, collection, part), (*collection, part.id), kind)

    def replace(self, scene: ScenePart, path: ScenePath = (), kind: type | None = None) -> None:
        """Go on with another scene, in which a part of a kind is checked for its types. Raises ScriptError."""
        try:
            if kind is not None:
                part = checked(edits.get(scene, path), kind)
                scene = edits.put(scene, path, part) if path else part
            check_change(scene, self.project.scene)
        except (MsgspecError, SceneError) as error:
            raise ScriptError(in_words(str(error))) from None
        self.project = self.project.with_scene(scene)

    # Using it

    def evaluate(self, frame: float) -> Frame:
        """Every shape on a frame."""
        return evaluate(self.project, frame, _MEMO)

    def save(self, path: Name) -> None:
        """Write it to a scene file. Raises FileError."""
        file.save(self.project, Path(path))

    def bake(
        self, path: Name, frames: tuple[int, int] | None = None, only: Iterable[Shape] | None = None, over: bool = False
    ) -> None:
        """Write meshes of frames to a USD file. over: only what differs from the stage it was imported from.

        Raises ExchangeError.
        """
        from estompe.exchange.formats import load_formats, scene_writer_for
        from estompe.exchange.usd.over import write_over

        load_formats()
        writer = scene_writer_for(Path(path))
        if writer is None:
            raise ScriptError(f"{path}: end it in .usdc, .usda, .usd or .usdz")
        first, last = frames or (self.project.scene.first, self.project.scene.last)
        chosen = None if only is None else frozenset(str.__str__(shape) for shape in only)
        write = write_over if over else writer.write
        write(self.project, first, last, Path(path), lambda _fraction, _text: None, None, chosen)

    def render(
        self,
        path: Name,
        frames: tuple[int, int] | None = None,
        size: tuple[int, int] = (1280, 720),
        layers: Iterable[str] = (),
        samples: int = 4,
        falloff: Falloff | None = None,
    ) -> None:
        """Draw frames through the camera into files such as "out.####.exr" or "out.####.png".

        Parameters
        ----------
        path : str or path-like
            The files; # stands for the frame's number.
        frames : (int, int), optional
            The first and last frame; the whole shot if left out.
        size : (int, int)
            Width and height, pixels.
        layers : iterable of str
            With .exr: "depth", "normal", "id", "motion", "matte-shapes", "matte-elements", "strength:NAME".
        samples : int
            Draws for smoother edges.
        falloff : Falloff, optional
            The one whose strength is shown instead of colours.
        """
        from estompe.output import pictures
        from estompe.output.painter import Settings

        first, last = frames or (self.project.scene.first, self.project.scene.last)
        shown = None if falloff is None else str.__str__(falloff)
        pictures.write(self.project, first, last, Path(path), Settings(size, samples, 0.0, tuple(layers), shown))

    def _repr_png_(self) -> bytes:
        """A picture of the first frame, for notebooks."""
        import io

        from PIL import Image

        from estompe.render.picture import camera_picture

        stream = io.BytesIO()
        picture = camera_picture(self.evaluate(self.project.scene.first), (640, 400), None)
        Image.fromarray(picture[..., :3]).save(stream, "PNG")
        return stream.getvalue()

    def __repr__(self) -> str:
        scene = self.project.scene
        counts = f"{len(scene.shapes)} shapes, {len(scene.controls)} controls, {len(scene.falloffs)} falloffs"
        return f"<Scene of {counts}, frames {scene.first} to {scene.last}>"


def diff(before: Scene | Project, after: Scene | Project) -> list[str]:
    """What differs between two scenes, in words."""
    from estompe.document.differences import differences

    one, other = (item.project if isinstance(item, Scene) else item for item in (before, after))
    return [difference.words for difference in differences(one.scene, other.scene)]
