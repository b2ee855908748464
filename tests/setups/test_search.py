"""Searching what can be added: by other words, settings, both spellings, and with typing errors."""

import pytest

from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.setups.catalog import entries, nearest_word, search

# What people who make effects said, and the entries that they meant.
MEANT = {
    "bulge": "effect:push effect:press recipe:push-near",
    "collision": "effect:press effect:cloth",
    "disintegrate": "effect:fracture effect:scatter-apart recipe:crumble",
    "dissolve": "effect:hide recipe:eat-away",
    "extrude": "effect:spikes",
    "explode": "effect:scatter-apart effect:separate",
    "delete": "effect:hide",
    "threshold": "effect:hide",
    "instance": "shape:copies-grid",
    "bloom": "effect:open-out",
    "uv": "source:attribute source:image",
    "two sided": "effect:shell",
    "variation": "source:random",
    "null": "control:sphere",
    "lathe": "shape:lathe",
    "revolve": "shape:lathe",
    "inflate": "effect:push",
    "toon": "effect:shell",
    "wind": "effect:sway effect:cloth",
    "oscillate": "effect:sway",
    "morph": "effect:poses",
    "blend shape": "effect:poses",
    "lightning": "recipe:arcs-between shape:strands-between",
    "spline": "control:path",
    "fur": "shape:strands-from",
    "box mask": "source:inside control:box",
    "remesh": "effect:merge effect:round",
    "boolean": "effect:merge",
    "magnet": "effect:attract",
    "repel": "effect:push-away",
    "delay": "source:lag",
    "color": "effect:color",
    "material": "effect:color",
    "jitter": "source:random",
    "falloff": "falloff:new",
    "fresnel": "source:facing",
    "geodesic": "source:over-surface",
    "fog": "source:camera-distance",
    "turbulence": "source:noise",
    "virus": "source:spread",
    "hair": "shape:strands-from",
    "snow": "effect:coat",
    "skeleton": "effect:joints",
    "solidify": "effect:thicken effect:shell",
    "footprint": "recipe:leave-trail effect:press",
    "cube": "shape:box",
    "donut": "shape:torus",
}


@pytest.mark.parametrize("words", MEANT)
def test_what_people_say_finds_what_they_mean_among_the_first_three(words):
    first = [entry.name for entry in search(words)[:3]]
    assert set(first) & set(MEANT[words].split()), first


@pytest.mark.parametrize(
    "entry", [entry for entry in entries() if entry.family != "recipe"], ids=lambda entry: entry.name
)
def test_a_name_finds_its_entry_first(entry):
    assert search(entry.label)[0].label == entry.label


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("frcture", "Fracture"),
        ("colur", "Colour"),
        ("roatte", "Rotate"),
        ("subdivde", "Subdivide"),
        ("dispalce", "Displace"),
    ],
)
def test_small_typing_errors_are_forgiven(typed, meant):
    assert search(typed)[0].label == meant


def test_british_and_american_spelling_are_one():
    for british, american in (
        ("colour", "color"),
        ("centre", "center"),
        ("neighbours", "neighbors"),
        ("randomise", "randomize"),
    ):
        assert [entry.name for entry in search(british)] == [entry.name for entry in search(american)]


def test_words_that_fit_nothing_get_a_guess():
    assert search("xqzzt") == []
    assert nearest_word("xqzzt") == ""
    assert nearest_word("geodesicalness") == "geodesic"


def test_settings_are_searched():
    assert "effect:cloth" in [entry.name for entry in search("bend stiffness")]
    assert search("half life")[0].name == "source:after-glow"


@pytest.mark.parametrize("family", [Source, Effect, ShapeSource])
def test_every_kind_has_eight_other_words(family):
    short = [
        tag
        for tag, kind in kinds(family).items()
        if kind.__module__.startswith("estompe.") and len(kind.words.split(",")) < 8
    ]
    assert short == []
