"""One new part at a time; each function returns the scene and the new part's id."""

from typing import Any

from msgspec import structs

from estompe.document.edits import fresh_id, fresh_name, get, insert, put
from estompe.document.kinds import EffectSettings, Source, kinds
from estompe.document.numbers import Triple
from estompe.document.scene import (
    Ball,
    Box,
    Control,
    ControlForm,
    Effect,
    Falloff,
    Grid,
    Lathe,
    Layer,
    Placement,
    Range,
    Route,
    Scene,
    Shape,
    ShapeSource,
    Tube,
)
from estompe.document.settings import settings_of
from estompe.effects.joints import Joints
from estompe.effects.subdivide import Subdivide
from estompe.falloffs.painted import Painted

FIRST_PATH: tuple[Triple, ...] = ((-0.5, 0.0, 0.0), (0.0, 0.0, 0.0), (0.5, 0.0, 0.0))
"""The points a new path begins with."""
PRIMITIVES: dict[str, type[Ball] | type[Grid] | type[Box] | type[Tube] | type[Lathe]] = {
    "Ball": Ball,
    "Grid": Grid,
    "Box": Box,
    "Tube": Tube,
    "Turned profile": Lathe,
}


def add_shape(scene: Scene, name: str, source: ShapeSource) -> tuple[Scene, str]:
    """A shape made from nothing."""
    made = fresh_id(scene, "shape")
    named = fresh_name([item.name for item in scene.shapes], name)
    return insert(scene, ("shapes",), Shape(made, named, source)), made


def add_control(
    scene: Scene, form: ControlForm = "ball", name: str = "Control", place: tuple[float, float, float] = (0.0, 0.0, 0.0)
) -> tuple[Scene, str]:
    """A control of a form."""
    made = fresh_id(scene, "control")
    named = fresh_name([item.name for item in scene.controls], name)
    return insert(scene, ("controls",), Control(made, named, form, Placement(place))), made


def add_falloff(scene: Scene, name: str = "Falloff", layers: tuple[Layer, ...] = ()) -> tuple[Scene, str]:
    """A falloff, without layers unless some are given."""
    made = fresh_id(scene, "falloff")
    named = fresh_name([item.name for item in scene.falloffs], name)
    return insert(scene, ("falloffs",), Falloff(made, named, layers)), made


def new_source(scene: Scene, kind: str, falloff: str) -> Source:
    """A source with first values; what it refers to is the first of its kind. Raises LookupError where there is none."""
    struct = kinds(Source)[kind]
    made: Source = struct(**_first_references(scene, struct, falloff))
    return made


def _first_references(scene: Scene, struct: Any, not_this: str) -> dict[str, str]:
    """What a kind must name, each the first there is. Raises LookupError where there is none."""
    effects = [effect for shape in scene.shapes for effect in shape.effects]
    there = {
        "control": [item.id for item in scene.controls],
        "falloff": [item.id for item in scene.falloffs if item.id != not_this],
        "path": [item.id for item in scene.controls if item.form == "path"],
        "shape": [item.id for item in scene.shapes if item.id != not_this and not _is_fed_by(item, not_this)],
        "effect": [item.id for item in effects if isinstance(item.settings, Joints)],
    }
    words = {
        "control": "a control",
        "path": "a control of the form path",
        "falloff": "a second falloff",
        "shape": "another shape",
        "effect": "a Joints effect",
    }
    found: dict[str, str] = {}
    for rule in settings_of(struct):
        if rule.kind not in there or (rule.optional and not there[rule.kind]):
            continue
        if not there[rule.kind]:
            raise LookupError(f"{struct.label} needs {words[rule.kind]}: add one first")
        if not rule.optional or rule.kind == "control":
            found[rule.name] = there[rule.kind][0]
    return found


def _is_fed_by(shape: Shape, falloff: str) -> bool:
    return any(route.falloff == falloff for effect in shape.effects for route in effect.routes)


def add_layer(scene: Scene, falloff: str, kind: str) -> tuple[Scene, str]:
    """A layer of a kind of source at the end of a falloff. Noise is added, others multiply. Raises LookupError."""
    made = fresh_id(scene, "layer")
    source = new_source(scene, kind, falloff)
    layer = Layer(made, source, "add" if kind == "noise" else "multiply")
    return insert(scene, ("falloffs", falloff, "layers"), layer), made


def add_effect(scene: Scene, shape: str, kind: str, falloff: str | None) -> tuple[Scene, str]:
    """An effect at the end of a shape's chain, fed by a falloff unless that is None. Raises LookupError."""
    made = fresh_id(scene, "effect")
    struct = kinds(EffectSettings)[kind]
    settings = struct(**_first_references(scene, struct, shape))
    routes = (Route(falloff),) if falloff is not None else ()
    effect = Effect(made, settings, routes)
    return insert(scene, ("shapes", shape, "effects"), effect), made


def add_painted(scene: Scene, falloff: str) -> tuple[Scene, str]:
    """A layer to paint on; where it is the only one, the falloff's range becomes that of a mask."""
    made = fresh_id(scene, "layer")
    layers = get(scene, ("falloffs", falloff, "layers"))
    if not layers:
        scene = put(scene, ("falloffs", falloff, "range"), Range(1.0, 0.0))
    return insert(scene, ("falloffs", falloff, "layers"), Layer(made, Painted())), made


def paste_effects(scene: Scene, shape: str, effects: tuple[Effect, ...]) -> Scene:
    """Copies of effects at the end of a shape's chain, under ids of their own; they keep their falloffs."""
    for effect in effects:
        copy = structs.replace(effect, id=fresh_id(scene, "effect"))
        scene = insert(scene, ("shapes", shape, "effects"), copy)
    return scene


def subdivide_on_ramp(scene: Scene, shape: str, falloff: str) -> Scene:
    """A Subdivide effect where a falloff's strength lies between full and gone, before the first effect it feeds."""
    effects = get(scene, ("shapes", shape, "effects"))
    fed = [i for i, effect in enumerate(effects) if any(route.falloff == falloff for route in effect.routes)]
    # Four times strength times one minus strength is 1 half-way down the ramp and at least one half on most of it.
    routes = (Route(falloff, 2.0), Route(falloff, 2.0, "multiply", inverted=True))
    effect = Effect(fresh_id(scene, "effect"), Subdivide(1), routes)
    return insert(scene, ("shapes", shape, "effects"), effect, fed[0] if fed else len(effects))


def duplicate(scene: Scene, path: tuple[str | int, ...]) -> tuple[Scene, str]:
    """A copy of a shape, control or falloff behind the original, with an id and a name of its own; so have its effects."""
    collection = path[:-1]
    items = get(scene, collection)
    original = get(scene, path)
    made = fresh_id(scene, str(collection[-1]).removesuffix("s"))
    name = fresh_name([item.name for item in items], original.name)
    copy = structs.replace(original, id=made, name=name)
    if not isinstance(copy, Shape):
        return insert(scene, collection, copy, items.index(original) + 1), made
    bare = structs.replace(copy, effects=())
    return paste_effects(insert(scene, collection, bare, items.index(original) + 1), made, copy.effects), made
