"""One new part at a time; each function returns the scene and the new part's id."""

from typing import Any

from msgspec import structs

from estompe.document.edits import fresh_id, fresh_name, get, insert
from estompe.document.kinds import EffectSettings, Source, kinds
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
    Route,
    Scene,
    Shape,
    ShapeSource,
    Tube,
)
from estompe.document.settings import settings_of
from estompe.effects.joints import Joints

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
        "shape": [item.id for item in scene.shapes if item.id != not_this],
        "effect": [item.id for item in effects if isinstance(item.settings, Joints)],
    }
    words = {
        "control": "a control",
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


def duplicate(scene: Scene, path: tuple[str | int, ...]) -> tuple[Scene, str]:
    """A copy of a shape, control or falloff behind the original, with an id and a name of its own."""
    collection = path[:-1]
    items = get(scene, collection)
    original = get(scene, path)
    made = fresh_id(scene, str(collection[-1]).removesuffix("s"))
    name = fresh_name([item.name for item in items], original.name)
    copy = structs.replace(original, id=made, name=name)
    return insert(scene, collection, copy, items.index(original) + 1), made
