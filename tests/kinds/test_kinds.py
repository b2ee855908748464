"""Every registered kind: defaults, round trip, help and units; duplicates raise."""

import msgspec
import pytest

from estompe.document.edits import get
from estompe.document.scene import Scene, Shape
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import AnyEffect, AnyShapeSource, AnySource, decode_kind, kinds, register
from estompe.kinds.settings import settings_of
from estompe.setups.adding import add_control, add_effect, add_falloff, add_shape, new_shape_source, new_source
from estompe.shapes import primitives
from estompe.shapes.embedded_copies import EmbeddedCopies, StoredOverTime
from estompe.shapes.embedded_mesh import EmbeddedMesh
from estompe.shapes.imported import ImportedMesh
from estompe.shapes.sphere import Sphere

_UNITS = {"", "seconds", "length", "degrees", "frames", "fraction", "display", "times", "per second"}


def _example(family: type, tag: str):
    if family is ShapeSource:
        if tag == "mesh":
            return ImportedMesh("0" * 64, "1" * 64, "2" * 64)
        if tag == "embedded-mesh":
            return EmbeddedMesh("0" * 64, "1" * 64, "2" * 64, "3" * 64)
        if tag == "embedded-copies":
            form = ImportedMesh("0" * 64, "1" * 64, "2" * 64)
            frames = StoredOverTime("3" * 64, "4" * 64, "5" * 64, "6" * 64)
            return EmbeddedCopies((form,), "7" * 64, "8" * 64, frames)
        scene, _ = add_shape(Scene(), "Sphere", Sphere())
        scene, _ = add_shape(scene, "Other", Sphere())
        scene, _ = add_control(scene, "path")
        if kinds(ShapeSource)[tag].branches_setting:
            scene, _ = add_shape(scene, "Branches", new_shape_source(scene, "branches-surface"))
        return new_shape_source(scene, tag)
    scene, _ = add_control(Scene())
    scene, _ = add_control(scene, "path")
    scene, _ = add_falloff(scene)
    scene, shape = add_shape(scene, "Sphere", Sphere())
    scene, _ = add_effect(scene, shape, "joints", None)
    if family is Effect:
        scene, made = add_effect(scene, shape, tag, None)
        return get(scene, ("shapes", shape, "effects", made, "effect"))
    return new_source(scene, tag, "another")


_FIELDS = {Source: AnySource, Effect: AnyEffect, ShapeSource: AnyShapeSource}
EVERY = [(family, tag) for family in (Source, Effect, ShapeSource) for tag in kinds(family)]


def test_the_first_slice_is_registered():
    assert set(kinds(Source)) >= {"distance", "sweep", "noise", "falloff"}
    assert set(kinds(Effect)) >= {"push", "move"}


@pytest.mark.parametrize(("family", "tag"), EVERY)
def test_round_trip_label_help_and_units(family, tag):
    made = _example(family, tag)
    assert msgspec.json.decode(msgspec.json.encode(made), type=type(made)) == made
    assert decode_kind(_FIELDS[family], msgspec.to_builtins(made)) == made
    assert made.label
    assert made.text.endswith(".")
    assert len(settings_of(type(made))) == len(made.__struct_fields__)
    for rule in settings_of(type(made)):
        assert rule.label
        assert rule.text.endswith(".")
        assert rule.unit in _UNITS


def test_a_tag_cannot_be_taken_twice():
    class Twin(Source, tag="noise"):
        label = "Twin"
        text = "Another."

    with pytest.raises(ValueError, match="is taken"):
        register(Twin)


def test_a_shape_of_every_primitive_has_a_default():
    assert Shape("a", "A", Sphere()).source.radius == 0.5
    assert primitives.sphere(Sphere().radius, Sphere().divisions).topology.faces == 6 * 24 * 24
