"""Set-ups of one's own: effects with their falloffs and controls as a scene file, put on any other shape at its size."""

import math
from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import platformdirs
from msgspec import Struct, structs

from estompe.document import file
from estompe.document.edits import fresh_name, ids_below, names_of, put
from estompe.document.names import clean_name
from estompe.document.paths import files_of
from estompe.document.project import Project, assets_of
from estompe.document.references import references_of, renamed_id
from estompe.document.renaming import rename
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Scene, Shape, Transform
from estompe.kernels.types import Floats
from estompe.kinds.numbers import Formula, Key, Keyed, Number
from estompe.kinds.settings import settings_of
from estompe.shapes.box import Box

STAND_IN = "stand-in"
"""The id of the shape in a set-up file that stands for whatever it is put on."""
_MOST = 500


class SetupError(ValueError):
    """A set-up that cannot be kept or used; the text says why and what to do."""


class Fitted(NamedTuple):
    """A project with a set-up on a shape, and the first of its falloffs and controls, "" for none."""

    project: Project
    falloff: str
    control: str


def folder() -> Path:
    """Where set-ups of one's own are kept, beside the preferences."""
    return platformdirs.user_config_path("estompe") / "setups"


def kept() -> dict[str, Path]:
    """The set-ups that are kept, by name."""
    try:
        found = sorted(folder().glob(f"*{file.ENDING}"))[:_MOST]
    except OSError:
        return {}
    return {path.stem: path for path in found}


def gathered(project: Project, shape: str, low: Floats, high: Floats, slots: Iterable[str] | None = None) -> Project:
    """Gather a shape's effects into a set-up, with the falloffs and controls they use, around a box of the shape's size.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    shape : str
        The id of the shape.
    low, high : float32 (3,)
        The shape's bounds before its effects, world space.
    slots : iterable of str, optional
        Ids of effects; all by default.

    Returns
    -------
    Project
        The set-up as a scene of its own.

    Raises
    ------
    SetupError
        For effects that cannot be kept in a set-up.
    """
    scene = project.scene
    owner = next(item for item in scene.shapes if item.id == shape)
    wanted = {slot.id for slot in owner.effects} if slots is None else set(slots)
    effects = tuple(slot for slot in owner.effects if slot.id in wanted)
    if not effects:
        raise SetupError(f"{owner.name} has no effects to keep: add one first")
    falloffs, controls = _used(scene, effects, shape)
    middle, size = (low.astype(np.float64) + high) / 2, np.maximum(high.astype(np.float64) - low, 1e-3)
    box = Box(float(size[0]), float(size[1]), float(size[2]), 24)
    stand = Shape(STAND_IN, owner.name, box, Transform(_triple(middle)), effects, color=owner.color)
    ids = {shape: STAND_IN}
    parts = renamed_id((stand, falloffs, controls), ids)
    made = Scene((parts[0],), parts[2], parts[1], scene.camera, scene.frames_per_second, scene.first, scene.last)
    made = structs.replace(made, metres_per_unit=scene.metres_per_unit)
    if files_of(made):
        raise SetupError("it follows an animated file, which a set-up cannot bring along: let go of that first")
    assets = {name: project.assets[name] for name in assets_of(made) & set(project.assets)}
    return Project(made, assets)


def _used(scene: Scene, effects: tuple[EffectSlot, ...], shape: str) -> tuple[tuple[Falloff, ...], tuple[Control, ...]]:
    """The falloffs and controls that effects use, whatever the way. Raises SetupError for another shape."""
    falloffs, controls = {item.id: item for item in scene.falloffs}, {item.id: item for item in scene.controls}
    found: dict[str, None] = {}
    waiting = [route.falloff for slot in effects for route in slot.routes]
    looked = [named for slot in effects for named in references_of(slot.effect)]
    while waiting or looked:
        for named in looked:
            if named.family == "falloff":
                waiting.append(named.id)
            elif named.family == "shape" and named.id != shape:
                other = next((item.name for item in scene.shapes if item.id == named.id), named.id)
                raise SetupError(f"it looks at the shape {other}, which a set-up cannot bring along")
            else:
                found[named.id] = None
        looked = []
        for name in waiting:
            if name in falloffs and name not in found:
                found[name] = None
                looked += [named for layer in falloffs[name].layers for named in references_of(layer.source)]
        waiting = []
    return (
        tuple(item for name, item in falloffs.items() if name in found),
        tuple(item for name, item in controls.items() if name in found),
    )


def path_of(name: str) -> Path:
    """Where a set-up of a name is kept. Raises SetupError for a name that is none."""
    word = clean_name(name).replace("/", "-").strip(". ")
    if not word:
        raise SetupError("a set-up needs a name")
    return folder() / f"{word}{file.ENDING}"


def save(setup: Project, name: str) -> Path:
    """Keep a set-up under a name, in place of one that has it. Raises FileError, and SetupError for a name that is none."""
    path = path_of(name)
    folder().mkdir(parents=True, exist_ok=True)
    file.save(setup, path)
    return path


def load(path: Path) -> Project:
    """A set-up from a file. Raises FileError, and SetupError for a scene that is none."""
    project = file.load(path)
    if not any(shape.id == STAND_IN for shape in project.scene.shapes):
        raise SetupError(f"{path.name} is a scene, not a set-up: open it instead")
    return project


def is_setup(path: Path) -> bool:
    """Whether a file is a set-up."""
    if path.suffix.lower() != file.ENDING:
        return False
    try:
        load(path)
    except (SetupError, file.FileError):
        return False
    return True


def fitted(project: Project, shape: str, low: Floats, high: Floats, setup: Project) -> Fitted:
    """Put a set-up on a shape, with lengths and places scaled from the stand-in's size to the shape's.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    shape : str
        The id of the shape.
    low, high : float32 (3,)
        The shape's bounds before its effects, world space.
    setup : Project
        The set-up. Its parts keep their names where those are free.

    Returns
    -------
    Fitted
        The project, and the ids of what was added.
    """
    scene, source = project.scene, setup.scene
    stand = next(item for item in source.shapes if item.id == STAND_IN)
    fit = _Fit.between(_bounds_of(stand), (low.astype(np.float64), high.astype(np.float64)))
    source = _renamed(source, scene, next(item.name for item in scene.shapes if item.id == shape))
    taken = set(ids_below(scene))
    ids = {STAND_IN: shape}
    for old in _ids_in(source):
        ids[old] = _free(old, taken)
        taken.add(ids[old])
    stand = next(item for item in source.shapes if item.id == STAND_IN)
    parts: Any = _with_ids(renamed_id((stand.effects, source.falloffs, source.controls), ids), ids)
    effects, falloffs, controls = parts
    owner = next(item for item in scene.shapes if item.id == shape)
    scene = put(scene, ("shapes", shape, "effects"), (*owner.effects, *(fit.scaled(slot) for slot in effects)))
    made = structs.replace(
        scene,
        falloffs=(*scene.falloffs, *(fit.falloff(item) for item in falloffs)),
        controls=(*scene.controls, *(fit.control(item) for item in controls)),
    )
    whole = Project(made, {**setup.assets, **project.assets}, project.variants)
    return Fitted(whole, falloffs[0].id if falloffs else "", controls[0].id if controls else "")


def _renamed(source: Scene, scene: Scene, owner: str) -> Scene:
    """The set-up with names that are free in a scene; its formulas follow."""
    names = names_of(scene)
    source = rename(
        source, ("shapes", STAND_IN), fresh_name([item for item in names_of(source) if item != owner], owner)
    )
    for family in ("falloffs", "controls"):
        for item in getattr(source, family):
            free = fresh_name(names, item.name)
            names.append(free)
            if free != item.name:
                source = rename(source, (family, item.id), free)
    return source


def _ids_in(source: Scene) -> list[str]:
    found = [item.id for item in source.falloffs] + [item.id for item in source.controls]
    found += [layer.id for falloff in source.falloffs for layer in falloff.layers]
    return [*found, *(slot.id for shape in source.shapes if shape.id == STAND_IN for slot in shape.effects)]


def _with_ids(item: Any, ids: dict[str, str]) -> Any:
    """Parts that have ids of their own with new ones."""
    if isinstance(item, tuple):
        return tuple(_with_ids(part, ids) for part in item)
    if isinstance(item, EffectSlot | Control):
        return structs.replace(item, id=ids.get(item.id, item.id))
    if isinstance(item, Falloff):
        layers = tuple(structs.replace(layer, id=ids.get(layer.id, layer.id)) for layer in item.layers)
        return structs.replace(item, id=ids.get(item.id, item.id), layers=layers)
    return item


def _free(wanted: str, taken: set[str]) -> str:
    number, found = 2, wanted
    while found in taken:
        found, number = f"{wanted[:58]}-{number}", number + 1
    return found


def _bounds_of(stand: Shape) -> tuple[np.ndarray, np.ndarray]:
    """The box that a stand-in fills. Raises SetupError for another kind of shape."""
    source = stand.source
    if not isinstance(source, Box):
        raise SetupError("its stand-in is no box: keep the set-up again")
    half = np.array([source.width, source.height, source.depth]) / 2
    middle = np.array([float(part) if isinstance(part, int | float) else 0.0 for part in stand.transform.position])
    return middle - half, middle + half


class _Fit(NamedTuple):
    """From the stand-in to a shape: lengths times a ratio, places about their middles."""

    ratio: float
    before: tuple[float, float, float]
    after: tuple[float, float, float]

    @classmethod
    def between(cls, old: tuple[np.ndarray, np.ndarray], new: tuple[np.ndarray, np.ndarray]) -> "_Fit":
        sizes = [max(float(np.linalg.norm(high - low)), 1e-9) for low, high in (old, new)]
        return cls(sizes[1] / sizes[0], _triple((old[0] + old[1]) / 2), _triple((new[0] + new[1]) / 2))

    def control(self, control: Control) -> Control:
        """A control at the same place seen from the shape, and as large."""
        transform = control.transform
        position = tuple(
            _mapped(part, self.ratio, after - before * self.ratio)
            for part, before, after in zip(transform.position, self.before, self.after, strict=True)
        )
        scale = tuple(_mapped(part, self.ratio, 0.0) for part in transform.scale)
        placed = structs.replace(transform, position=position, scale=scale)
        return structs.replace(control, transform=placed)

    def falloff(self, falloff: Falloff) -> Falloff:
        """A falloff whose lengths are scaled; a range of something else than lengths stays.

        What is measured to a control is in the control's own units, which grow with it: there the values stay.
        """
        in_units = any(_measured_in_units(layer) for layer in falloff.layers)
        layers = []
        for layer in falloff.layers:
            source = layer.source if _measured_in_units(layer) else self.scaled(layer.source)
            amount = getattr(layer.source, "amount", None)
            if in_units and amount is not None:
                source = structs.replace(source, amount=amount)
            scaled = structs.replace(layer, source=source)
            if layer.range is not None and layer.source.unit() == "length" and not _measured_in_units(layer):
                scaled = structs.replace(scaled, range=self.scaled(layer.range))
            layers.append(scaled)
        lengths = bool(falloff.layers) and falloff.layers[0].source.unit() == "length" and not in_units
        within: Range = self.scaled(falloff.range) if lengths else falloff.range
        return structs.replace(falloff, layers=tuple(layers), range=within)

    def scaled(self, item: Any) -> Any:
        """A part of a scene with its lengths scaled, those of what is in it too."""
        if isinstance(item, tuple):
            return tuple(self.scaled(part) for part in item)
        if not isinstance(item, Struct) or isinstance(item, Keyed | Formula):
            return item
        lengths = {rule.name for rule in settings_of(type(item)) if rule.unit == "length"}
        changes = {}
        for name in item.__struct_fields__:
            value = getattr(item, name)
            if name in lengths:
                changes[name] = self._length(value)
            elif isinstance(value, tuple | Struct):
                changes[name] = self.scaled(value)
        return structs.replace(item, **changes) if changes else item

    def _length(self, value: Any) -> Any:
        if isinstance(value, tuple):
            return tuple(self._length(part) for part in value)
        return _mapped(value, self.ratio, 0.0) if isinstance(value, int | float | Keyed) else value


def _measured_in_units(layer: Layer) -> bool:
    """Whether a layer measures lengths in the units of a control."""
    named = references_of(layer.source)
    return layer.source.unit() == "length" and any(item.family in ("control", "path") for item in named)


def _mapped(number: Number, ratio: float, step: float) -> Number:
    """A number times a ratio and a step further, rounded as a person would type it; a formula stays."""
    if isinstance(number, Formula) or (ratio == 1.0 and step == 0.0):
        return number
    if isinstance(number, Keyed):
        return structs.replace(number, keys=tuple(_mapped_key(key, ratio, step) for key in number.keys))
    return _neat(number * ratio + step)


def _mapped_key(key: Key, ratio: float, step: float) -> Key:
    slopes = {
        name: None if slope is None else slope * ratio
        for name, slope in (("slope_in", key.slope_in), ("slope_out", key.slope_out))
    }
    return structs.replace(key, value=_neat(key.value * ratio + step), **slopes)


def _neat(value: float) -> float:
    if value == 0.0 or not math.isfinite(value):
        return 0.0
    return round(value, 5 - math.floor(math.log10(abs(value))))


def _triple(values: np.ndarray) -> tuple[float, float, float]:
    return float(values[0]), float(values[1]), float(values[2])
