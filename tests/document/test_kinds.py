"""Every registered kind: defaults, round trip, help and units; duplicates raise."""

import msgspec
import pytest
from msgspec import Struct

from estompe.document.edits import get
from estompe.document.kinds import EffectSettings, Source, decode_kind, kinds, register
from estompe.document.scene import Ball, Scene, Shape
from estompe.document.settings import settings_of
from estompe.geometry import primitives
from estompe.setups.adding import add_control, add_effect, add_falloff, add_shape, new_source

_UNITS = {"", "length", "degrees", "frames", "share", "times", "per second"}


def _example(family: type, tag: str):
    scene, _ = add_control(Scene())
    scene, _ = add_control(scene, "path")
    scene, _ = add_falloff(scene)
    scene, shape = add_shape(scene, "Ball", Ball())
    scene, _ = add_effect(scene, shape, "joints", None)
    if family is EffectSettings:
        scene, made = add_effect(scene, shape, tag, None)
        return get(scene, ("shapes", shape, "effects", made, "settings"))
    return new_source(scene, tag, "another")


EVERY = [(family, tag) for family in (Source, EffectSettings) for tag in kinds(family)]


def test_the_first_slice_is_registered():
    assert set(kinds(Source)) >= {"distance", "sweep", "noise", "falloff"}
    assert set(kinds(EffectSettings)) >= {"push", "move"}


@pytest.mark.parametrize(("family", "tag"), EVERY)
def test_round_trip_label_help_and_units(family, tag):
    made = _example(family, tag)
    assert msgspec.json.decode(msgspec.json.encode(made), type=type(made)) == made
    assert decode_kind(family, msgspec.to_builtins(made)) == made
    assert made.label
    assert made.text.endswith(".")
    assert len(settings_of(type(made))) == len(made.__struct_fields__)
    for rule in settings_of(type(made)):
        assert rule.label
        assert rule.text.endswith(".")
        assert rule.unit in _UNITS


def test_a_tag_cannot_be_taken_twice():
    class Twin(Struct, Source, frozen=True, tag="noise", tag_field="kind"):
        label = "Twin"

    with pytest.raises(ValueError, match="registered twice"):
        register(Twin)


def test_a_shape_of_every_primitive_has_a_default():
    assert Shape("a", "A", Ball()).source.radius == 0.5
    assert primitives.ball(Ball().radius, Ball().divisions).topology.faces == 6 * 24 * 24
