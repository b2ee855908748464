"""One new part at a time; each function returns the scene and the new part's id.

What a new part must name and the scene lacks is made with it where a `Place` says where and how large; else LookupError says what
is missing.
"""

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from msgspec import structs

from estompe.document.edits import fresh_id, fresh_name, get, insert, names_of, put
from estompe.document.references import REFERENCES, renamed_id
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.subdivide import Subdivide
from estompe.falloffs.painted import Painted
from estompe.kinds.context import ControlForm
from estompe.kinds.kind import ActsOn, Effect, ShapeSource, Source
from estompe.kinds.numbers import Triple
from estompe.kinds.registry import kinds
from estompe.kinds.settings import settings_of
from estompe.shapes.stringing import StrandsSource

FIRST_PATH: tuple[Triple, ...] = ((-0.5, 0.0, 0.0), (0.0, 0.0, 0.0), (0.5, 0.0, 0.0))
"""The points a new path begins with."""


class Place(NamedTuple):
    """Where things go that are made along with a new part: a position in the world, and about their size, scene units."""

    position: tuple[float, float, float] = (0.0, 0.0, 0.0)
    size: float = 0.5


class AddedSource(NamedTuple):
    """A scene with a new layer: the ids of the layer and its falloff, and of a control that was made for it, "" for none."""

    scene: Scene
    falloff: str
    layer: str
    control: str


def add_shape(scene: Scene, name: str, source: ShapeSource) -> tuple[Scene, str]:
    """Add a shape made from nothing.

    Parameters
    ----------
    scene : Scene
        The scene.
    name : str
        Its name; a number is added if it is taken.
    source : ShapeSource
        What it is made from.

    Returns
    -------
    Scene, str
        The scene, and the id of the shape.
    """
    made = fresh_id(scene, "shape")
    named = fresh_name(names_of(scene), name)
    return insert(scene, ("shapes",), Shape(made, named, source)), made


def new_shape_source(scene: Scene, kind: str, of: str | None = None) -> ShapeSource:
    """A shape source with first values. Raises LookupError where the scene lacks what it must name.

    of: a shape that what is made is first of all made of, such as what is copied; what else it names is another one.
    """
    struct = kinds(ShapeSource)[kind]
    found: dict[str, str] = {}
    shapes = [shape.id for shape in scene.shapes]
    if struct.branches_setting:
        branched = [shape.id for shape in scene.shapes if shape.source.makes_branches]
        if not branched:
            raise LookupError(f"{struct.label} needs a shape of branches: add one first")
        found[struct.branches_setting] = of if of in branched else branched[0]
    for rule in settings_of(struct):
        if rule.refers == "shape" and rule.type != "parts" and not rule.optional and rule.name not in found:
            first = [of] if of is not None and of not in found.values() else []
            free = [*first, *(item for item in shapes if item not in found.values())]
            if not free:
                raise LookupError(f"{struct.label} needs {'a shape' if not found else 'a second shape'}: add one first")
            found[rule.name] = free[0]
    others = {name: item for name, item in _first_references(scene, struct, "").items() if name not in found}
    made: ShapeSource = struct(**found, **others)
    return made


def with_first_effects(scene: Scene, shape: str, size: float) -> Scene:
    """The scene with the effects that a new shape of its kind begins with. size: about that of the shape, scene units."""
    for kind, lengths in get(scene, ("shapes", shape)).source.first_effects.items():
        scene, slot = add_effect(scene, shape, kind, None)
        for name, share in lengths.items():
            scene = put(scene, ("shapes", shape, "effects", slot, "effect", name), neat(share * size, size))
    return scene


def hide_form(scene: Scene, source: ShapeSource) -> Scene:
    """What is copied is seen as copies only, at first."""
    form = getattr(source, "form", None)
    made: Scene = put(scene, ("shapes", form, "visible"), False) if form is not None else scene
    return made


def add_control(
    scene: Scene,
    form: ControlForm = "sphere",
    name: str = "Control",
    position: tuple[float, float, float] = (0.0, 0.0, 0.0),
) -> tuple[Scene, str]:
    """Add a control.

    Parameters
    ----------
    scene : Scene
        The scene.
    form : str
        "sphere", "box", "plane", "cylinder", "path" or "wind".
    name : str
        Its name; a number is added if it is taken.
    position : (float, float, float)
        World position, scene units.

    Returns
    -------
    Scene, str
        The scene, and the id of the control.
    """
    made = fresh_id(scene, "control")
    named = fresh_name(names_of(scene), name)
    return insert(scene, ("controls",), Control(made, named, form, Transform(position))), made


def add_falloff(scene: Scene, name: str = "Falloff", layers: tuple[Layer, ...] = ()) -> tuple[Scene, str]:
    """Add a falloff.

    Parameters
    ----------
    scene : Scene
        The scene.
    name : str
        Its name; a number is added if it is taken.
    layers : tuple of Layer
        Its layers, from top to bottom.

    Returns
    -------
    Scene, str
        The scene, and the id of the falloff.
    """
    made = fresh_id(scene, "falloff")
    named = fresh_name(names_of(scene), name)
    return insert(scene, ("falloffs",), Falloff(made, named, layers)), made


def new_source(scene: Scene, kind: str, falloff: str, shape: str = "") -> Source:
    """A source with first values; what it refers to is the first of its family. Raises LookupError where there is none.

    shape: the one that is looked at, which a source of other shapes does not take.
    """
    return _source(scene, kind, falloff, shape, None)[1]


def _source(scene: Scene, kind: str, falloff: str, shape: str, place: Place | None) -> tuple[Scene, Source]:
    # A distance to the surface that is measured would be 0 everywhere.
    struct = kinds(Source)[kind]
    scene, named = _references(scene, struct, falloff, shape, place, shape)
    source: Source = struct(**named)
    return scene, source


def _first_references(scene: Scene, struct: Any, not_this: str, besides: str = "") -> dict[str, str]:
    """What a kind must name, each the first there is. Raises LookupError where there is none."""
    return _references(scene, struct, not_this, besides, None, "")[1]


def _references(
    scene: Scene, struct: Any, not_this: str, besides: str, place: Place | None, shape: str
) -> tuple[Scene, dict[str, str]]:
    """What a kind must name, each the first there is, and the scene with what had to be made. Raises LookupError.

    not_this: the falloff or shape the kind is for, which it must not refer back to; besides: another one that it must not name;
    place: where what is missing is made, None to make nothing; shape: the one that it is for.
    """
    found: dict[str, str] = {}
    for rule in settings_of(struct):
        family = REFERENCES.get(rule.refers)
        if family is None or rule.type == "parts":
            continue
        there = [item.id for item in family.candidates(scene) if _may_name(scene, rule.refers, item.id, not_this)]
        there = [item for item in there if item != besides]
        if there and (not rule.optional or rule.refers == "control"):
            found[rule.name] = there[0]
        elif (
            not there
            and (not rule.optional or rule.refers == "control")
            and place is not None
            and rule.refers in _MAKERS
        ):
            scene, found[rule.name] = _MAKERS[rule.refers](scene, place, shape)
        elif not there and not rule.optional:
            raise LookupError(f"{struct.label} needs {family.ask}: add one first")
    return scene, found


def _make_control(scene: Scene, place: Place, _shape: str) -> tuple[Scene, str]:
    return add_control(scene, "sphere", "Control", place.position)


def _make_path(scene: Scene, place: Place, _shape: str) -> tuple[Scene, str]:
    scene, control = add_control(scene, "path", "Path", place.position)
    size = neat(2.0 * place.size, place.size)
    points = (-0.5 * size, 0.0, 0.0), (0.0, 0.0, 0.0), (0.5 * size, 0.0, 0.0)
    return put(scene, ("controls", control, "points"), points), control


def _make_falloff(scene: Scene, place: Place, _shape: str) -> tuple[Scene, str]:
    """A falloff by the distance to the first control, or to a new one."""
    controls = [item.id for item in scene.controls if item.form != "path"]
    scene, control = (scene, controls[0]) if controls else _make_control(scene, place, "")
    layer = Layer(fresh_id(scene, "layer"), kinds(Source)["distance"](control))
    scene, falloff = add_falloff(scene, "Near control", (layer,))
    within = Range(neat(0.25 * place.size, place.size), neat(place.size, place.size))
    return put(scene, ("falloffs", falloff, "range"), within), falloff


def _make_shape(scene: Scene, place: Place, _shape: str) -> tuple[Scene, str]:
    scene, shape = add_shape(scene, "Sphere", kinds(ShapeSource)["sphere"](neat(0.5 * place.size, place.size)))
    return put(scene, ("shapes", shape, "transform"), Transform(place.position)), shape


def _make_joints(scene: Scene, _place: Place, shape: str) -> tuple[Scene, str]:
    if not shape:
        raise LookupError("a Joints effect needs a shape: choose one first")
    return add_effect(scene, shape, "joints", None)


_MAKERS: dict[str, Callable[[Scene, Place, str], tuple[Scene, str]]] = {
    "control": _make_control,
    "path": _make_path,
    "falloff": _make_falloff,
    "shape": _make_shape,
    "effect": _make_joints,
}
"""The function that makes a missing reference, by its family."""


def neat(value: float, size: float) -> float:
    """A length rounded to about a thousandth of a size, as a person would type it."""
    return round(float(value), max(0, 3 - math.floor(math.log10(max(size, 1e-9)))))


def _may_name(scene: Scene, family: str, item: str, not_this: str) -> bool:
    """Whether naming something would not lead straight back."""
    if item == not_this:
        return False
    return family != "shape" or not _is_fed_by(get(scene, ("shapes", item)), not_this)


def _is_fed_by(shape: Shape, falloff: str) -> bool:
    return any(route.falloff == falloff for slot in shape.effects for route in slot.routes)


def add_layer(scene: Scene, falloff: str, kind: str, shape: str = "") -> tuple[Scene, str]:
    """A layer of a kind of source at the end of a falloff. Raises LookupError. shape: as `new_source` has it."""
    added = add_source(scene, kind, falloff, shape, None)
    return added.scene, added.layer


def add_source(scene: Scene, kind: str, falloff: str | None, shape: str, place: Place | None) -> AddedSource:
    """A layer of a kind of source at the end of a falloff, with all that it needs.

    Parameters
    ----------
    scene : Scene
        The scene.
    kind : str
        The tag of the source.
    falloff, shape : str
        Their ids; a new falloff is made for None. shape: the one that is looked at, "" for none.
    place : Place, optional
        Where a control, falloff or shape is made that the source needs; without it, what is missing is an error.

    Returns
    -------
    AddedSource
        The scene and the new parts.

    Raises
    ------
    LookupError
        Where the scene lacks what the source needs.
    """
    controls = {item.id for item in scene.controls}
    if falloff is None:
        scene, falloff = add_falloff(scene)
    scene, source = _source(scene, kind, falloff, shape, place)
    layer = Layer(fresh_id(scene, "layer"), source, source.first_join)
    scene = insert(scene, ("falloffs", falloff, "layers"), layer)
    new = [item.id for item in scene.controls if item.id not in controls]
    return AddedSource(scene, falloff, layer.id, new[0] if new else "")


def add_effect(
    scene: Scene, shape: str, kind: str, falloff: str | None, place: Place | None = None
) -> tuple[Scene, str]:
    """Add an effect at the end of a shape's chain.

    Parameters
    ----------
    scene : Scene
        The scene.
    shape : str
        The id of the shape.
    kind : str
        The tag of the effect.
    falloff : str, optional
        The id of the falloff that feeds it. Kinds that change which elements there are (`fed_at_first`) are not fed at first.
    place : Place, optional
        Where a control, path or shape is made that it needs; without it, a missing one is an error.

    Returns
    -------
    Scene, str
        The scene, and the id of the effect.

    Raises
    ------
    LookupError
        Where the scene lacks what the effect needs.
    """
    struct = kinds(Effect)[kind]
    scene, named = _references(scene, struct, shape, "", place, shape)
    owner = get(scene, ("shapes", shape))
    on_strands = struct.on_strands if isinstance(owner.source, StrandsSource) else None
    settings = struct(**{**named, **(on_strands or {})})
    routes = (Route(falloff),) if falloff is not None and struct.fed_at_first else ()
    acts_on = first_acts_on(owner, struct) if on_strands is None else "points"
    made = fresh_id(scene, "effect")
    effect = EffectSlot(made, settings, routes, acts_on=acts_on, each=acts_on == "pieces" and struct.own_axes)
    return insert(scene, ("shapes", shape, "effects"), effect), made


def first_acts_on(shape: Shape, effect: type[Effect]) -> ActsOn:
    """What a new effect at the end of a shape's chain acts on: pieces where there are any and it can, else points."""
    parted = shape.source.makes_pieces or any(slot.effect.makes_pieces for slot in shape.effects)
    able = effect.able()
    return "pieces" if parted and "pieces" in able else able[0]


def add_painted(scene: Scene, falloff: str) -> tuple[Scene, str]:
    """A layer to paint on; where it is the only one, the falloff's range becomes that of a mask."""
    made = fresh_id(scene, "layer")
    layers = get(scene, ("falloffs", falloff, "layers"))
    if not layers:
        scene = put(scene, ("falloffs", falloff, "range"), Range(1.0, 0.0))
    return insert(scene, ("falloffs", falloff, "layers"), Layer(made, Painted())), made


def paste_effects(scene: Scene, shape: str, effects: tuple[EffectSlot, ...]) -> Scene:
    """Copies of effects at the end of a shape's chain, under ids of their own; they keep their falloffs.

    What one of them refers to among the others, such as the joints of a chain, is the copy.
    """
    fresh: list[str] = []
    for _ in effects:
        fresh.append(fresh_id(scene, "effect", fresh))
    ids = {slot.id: new for slot, new in zip(effects, fresh, strict=True)}
    for slot, new in zip(effects, fresh, strict=True):
        scene = insert(scene, ("shapes", shape, "effects"), structs.replace(renamed_id(slot, ids), id=new))
    return scene


def subdivide_on_ramp(scene: Scene, shape: str, falloff: str) -> Scene:
    """A Subdivide effect where a falloff's strength lies between full and gone, before the first effect it feeds."""
    effects = get(scene, ("shapes", shape, "effects"))
    fed = [i for i, effect in enumerate(effects) if any(route.falloff == falloff for route in effect.routes)]
    # Four times strength times one minus strength is 1 half-way down the ramp and at least one half on most of it.
    routes = (Route(falloff, 2.0), Route(falloff, 2.0, "multiply", one_minus=True))
    effect = EffectSlot(fresh_id(scene, "effect"), Subdivide(1), routes)
    return insert(scene, ("shapes", shape, "effects"), effect, fed[0] if fed else len(effects))


def duplicate(scene: Scene, path: tuple[str | int, ...]) -> tuple[Scene, str]:
    """A copy of a shape, control, falloff or layer after the original, under a name of its own, with ids of its own."""
    collection = path[:-1]
    items = get(scene, collection)
    original = get(scene, path)
    if isinstance(original, Layer):
        copied = fresh_id(scene, "layer")
        return insert(scene, collection, structs.replace(original, id=copied), items.index(original) + 1), copied
    made = fresh_id(scene, str(collection[-1]).removesuffix("s"))
    name = fresh_name(names_of(scene), original.name)
    copy = structs.replace(original, id=made, name=name)
    if isinstance(copy, Falloff):
        ids: dict[str, str] = {}
        for layer in copy.layers:
            ids[layer.id] = fresh_id(scene, "layer", ids.values())
        copy = structs.replace(copy, layers=tuple(structs.replace(item, id=ids[item.id]) for item in copy.layers))
    if not isinstance(copy, Shape):
        return insert(scene, collection, copy, items.index(original) + 1), made
    bare = structs.replace(copy, effects=())
    return paste_effects(insert(scene, collection, bare, items.index(original) + 1), made, copy.effects), made
