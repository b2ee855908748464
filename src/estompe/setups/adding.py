"""One new part at a time; each function returns the scene and the new part's id."""

from typing import Any

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

FIRST_PATH: tuple[Triple, ...] = ((-0.5, 0.0, 0.0), (0.0, 0.0, 0.0), (0.5, 0.0, 0.0))
"""The points a new path begins with."""


def add_shape(scene: Scene, name: str, source: ShapeSource) -> tuple[Scene, str]:
    """A shape made from nothing."""
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
    for rule in settings_of(struct):
        if rule.refers == "shape" and rule.type != "parts" and not rule.optional:
            first = [of] if of is not None and of not in found.values() else []
            free = [*first, *(item for item in shapes if item not in found.values())]
            if not free:
                raise LookupError(f"{struct.label} needs {'a shape' if not found else 'a second shape'}: add one first")
            found[rule.name] = free[0]
    others = {name: item for name, item in _first_references(scene, struct, "").items() if name not in found}
    made: ShapeSource = struct(**found, **others)
    return made


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
    """A control of a form."""
    made = fresh_id(scene, "control")
    named = fresh_name(names_of(scene), name)
    return insert(scene, ("controls",), Control(made, named, form, Transform(position))), made


def add_falloff(scene: Scene, name: str = "Falloff", layers: tuple[Layer, ...] = ()) -> tuple[Scene, str]:
    """A falloff, without layers unless some are given."""
    made = fresh_id(scene, "falloff")
    named = fresh_name(names_of(scene), name)
    return insert(scene, ("falloffs",), Falloff(made, named, layers)), made


def new_source(scene: Scene, kind: str, falloff: str, shape: str = "") -> Source:
    """A source with first values; what it refers to is the first of its family. Raises LookupError where there is none.

    shape: the one that is looked at, which a source of other shapes does not take.
    """
    struct = kinds(Source)[kind]
    besides = shape if struct.of_others else ""
    made: Source = struct(**_first_references(scene, struct, falloff, besides))
    return made


def _first_references(scene: Scene, struct: Any, not_this: str, besides: str = "") -> dict[str, str]:
    """What a kind must name, each the first there is. Raises LookupError where there is none.

    not_this: the falloff or shape the kind is for, which it must not refer back to; besides: another one that it must not name.
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
        elif not there and not rule.optional:
            raise LookupError(f"{struct.label} needs {family.ask}: add one first")
    return found


def _may_name(scene: Scene, family: str, item: str, not_this: str) -> bool:
    """Whether naming something would not lead straight back."""
    if item == not_this:
        return False
    return family != "shape" or not _is_fed_by(get(scene, ("shapes", item)), not_this)


def _is_fed_by(shape: Shape, falloff: str) -> bool:
    return any(route.falloff == falloff for slot in shape.effects for route in slot.routes)


def add_layer(scene: Scene, falloff: str, kind: str, shape: str = "") -> tuple[Scene, str]:
    """A layer of a kind of source at the end of a falloff. Raises LookupError. shape: as `new_source` has it."""
    made = fresh_id(scene, "layer")
    source = new_source(scene, kind, falloff, shape)
    layer = Layer(made, source, source.first_join)
    return insert(scene, ("falloffs", falloff, "layers"), layer), made


def add_effect(scene: Scene, shape: str, kind: str, falloff: str | None) -> tuple[Scene, str]:
    """An effect at the end of a shape's chain, fed by a falloff unless that is None. Raises LookupError."""
    made = fresh_id(scene, "effect")
    struct = kinds(Effect)[kind]
    settings = struct(**_first_references(scene, struct, shape))
    routes = (Route(falloff),) if falloff is not None else ()
    effect = EffectSlot(made, settings, routes, acts_on=first_acts_on(get(scene, ("shapes", shape)), struct))
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
    """A copy of a shape, control or falloff after the original, under a name of its own, and ids of their own for all of it."""
    collection = path[:-1]
    items = get(scene, collection)
    original = get(scene, path)
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
