"""Handles of shapes, controls and falloffs: ids that know their scene, so that they stand wherever a setting names a part."""

from collections.abc import Iterable, Sequence
from typing import Any, Literal, Protocol

from msgspec import structs

from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.project import Project
from estompe.document.renaming import rename
from estompe.document.scene import EffectSlot, Layer, RampPoint, Range, Route
from estompe.document.scene import Scene as ScenePart
from estompe.kinds.kind import Effect, Join, Source
from estompe.kinds.numbers import Number
from estompe.scripting.checks import described, triple, with_settings
from estompe.scripting.values import ScriptError
from estompe.setups import adding, fitting
from estompe.setups.parenting import ancestors, transforms_of


class Building(Protocol):
    """The scene that handles belong to; its changes are checked."""

    project: Project

    def put(self, path: ScenePath, value: Any) -> None:
        """Replace one part."""

    def insert(self, collection: ScenePath, item: Any, kind: type) -> None:
        """Add a part at the end of a collection."""

    def replace(self, scene: ScenePart, path: ScenePath = (), kind: type | None = None) -> None:
        """Go on with another scene."""


class Handle(str):
    """A part of a scene by its id, which it is wherever a setting names it."""

    family = ""
    _scene: "Building"

    @classmethod
    def of(cls, scene: "Building", name: str) -> Any:
        handle = cls(name)
        handle._scene = scene
        return handle

    @property
    def path(self) -> ScenePath:
        """The path of the part in the scene."""
        return self.family, str.__str__(self)

    @property
    def part(self) -> Any:
        """The frozen part as it is in the scene now. Raises ScriptError where the part is gone."""
        try:
            return edits.get(self._scene.project.scene, self.path)
        except edits.EditError as error:
            raise ScriptError(str(error)) from None

    @property
    def name(self) -> str:
        """What a person calls it."""
        return str(self.part.name)

    @name.setter
    def name(self, name: str) -> None:
        self._scene.replace(rename(self._scene.project.scene, self.path, name))

    def place(
        self, position: Any = None, rotation: Any = None, scale: Any = None, parent: "Shape | Control | None" = None
    ) -> Any:
        """Set the position, rotation and scale that are given, and what it rides on; returns the handle.

        Each is three numbers, any of which can be keyed or a formula: scene units, degrees, factors.
        """
        given = {"position": position, "rotation": rotation, "scale": scale}
        changes: dict[str, Any] = {name: triple(name, value) for name, value in given.items() if value is not None}
        if parent is not None:
            above = ancestors(transforms_of(self._scene.project.scene), str.__str__(parent))
            if parent == self or str.__str__(self) in above:
                raise ScriptError(f"{self.name} cannot ride on what rides on it")
            changes["parent"] = str.__str__(parent)
        self._scene.put((*self.path, "transform"), structs.replace(self.part.transform, **changes))
        return self

    def set(self, **settings: Any) -> Any:
        """Change settings of its making by name, such as `width` of a box; returns the handle. Raises ScriptError."""
        part = self.part
        target = "source" if hasattr(part, "source") else ""
        path = (*self.path, target) if target else self.path
        self._scene.put(path, with_settings(edits.get(self._scene.project.scene, path), settings))
        return self

    def __repr__(self) -> str:
        return f"<{self.family.removesuffix('s')} {self.name}>"


class Control(Handle):
    """A control of a scene."""

    family = "controls"


class Falloff(Handle):
    """A falloff of a scene."""

    family = "falloffs"

    def add(self, source: Source, join: Join | None = None, one_minus: bool = False) -> "Falloff":
        """Measure something more.

        Parameters
        ----------
        source : Source
            What is measured, such as `es.Distance(lantern)`.
        join : str, optional
            How it joins the layers above it: "multiply", "add", "subtract", "larger", "smaller" or "replace".
        one_minus : bool
            Whether one minus the values is used.

        Returns
        -------
        Falloff
            The same falloff.
        """
        if not isinstance(source, Source):
            raise ScriptError(f"a falloff measures a source, such as es.Distance(control), not {described(source)}")
        name = edits.fresh_id(self._scene.project.scene, "layer")
        layer = Layer(name, source, join or source.first_join, one_minus)
        self._scene.insert((*self.path, "layers"), layer, Layer)
        return self

    def range(self, full: Number, gone: Number) -> "Falloff":
        """Set the values within which it is full and beyond which it is gone; returns the falloff."""
        self._scene.put((*self.path, "range"), Range(full, gone))
        return self

    def ramp(self, points: Iterable[tuple[float, float]] | Iterable[RampPoint]) -> "Falloff":
        """Set the ramp: pairs of position (0 full, 1 gone) and strength; returns the falloff."""
        ramp = tuple(item if isinstance(item, RampPoint) else RampPoint(*item) for item in points)
        self._scene.put((*self.path, "ramp"), ramp)
        return self

    def fit(self, shape: "Shape", frame: float | None = None) -> "Falloff":
        """Fit the range to what is measured on a shape, on the first frame if none is given; returns the falloff."""
        project = self._scene.project
        number = project.scene.first if frame is None else frame
        self._scene.replace(fitting.fit(project, str.__str__(self), str.__str__(shape), number))
        return self

    def sweep(self, passed: Number) -> "Falloff":
        """Sweep the range over all that is measured, 0 nothing to 1 everything; returns the falloff."""
        self._scene.put((*self.path, "passed"), passed)
        return self


class Shape(Handle):
    """A shape of a scene."""

    family = "shapes"

    def add(
        self,
        *effects: Effect,
        by: Falloff | Sequence[Falloff] | None = None,
        amount: Number = 1.0,
        acts_on: Literal["points", "faces", "pieces"] | None = None,
        each: bool | None = None,
    ) -> "Shape":
        """Add effects at the end of the chain.

        Parameters
        ----------
        *effects : Effect
            Such as `es.Fracture(cells=300), es.ScatterApart()`.
        by : Falloff or sequence of Falloff, optional
            What drives them, multiplied; at full strength without any. Effects that change which elements there are, such as
            Fracture, are not driven unless they are added alone.
        amount : number
            How much of each falloff drives them.
        acts_on, each : optional
            The elements that get one strength, and whether each moves by itself; as in the window if left out.

        Returns
        -------
        Shape
            The same shape.
        """
        falloffs = [] if by is None else [by] if isinstance(by, str) else list(by)
        for effect in effects:
            if not isinstance(effect, Effect):
                raise ScriptError(f"a shape takes effects, such as es.Push(0.1), not {described(effect)}")
            driven = effect.fed_at_first or len(effects) == 1
            routes = tuple(Route(str.__str__(item), amount) for item in falloffs) if driven else ()
            acting = acts_on or adding.first_acts_on(self.part, type(effect))
            alone = (acting == "pieces" and effect.own_axes) if each is None else each
            name = edits.fresh_id(self._scene.project.scene, "effect")
            self._scene.insert(
                (*self.path, "effects"), EffectSlot(name, effect, routes, acts_on=acting, each=alone), EffectSlot
            )
        return self

    def show(self, visible: bool = True) -> "Shape":
        """Show or hide it; returns the shape."""
        self._scene.put((*self.path, "visible"), visible)
        return self

    def colored(self, red: float, green: float, blue: float) -> "Shape":
        """Set its colour in linear light, as `es.color_as_shown` gives it from display values; returns the shape."""
        self._scene.put((*self.path, "color"), (float(red), float(green), float(blue)))
        return self
