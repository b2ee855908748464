"""The conformance kit: every built-in kind passes it, kinds that break a rule do not, and a plug-in is installed and run."""

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Annotated, ClassVar

import numpy as np
import pytest
from PIL import Image as Bitmap

from estompe.document import edits
from estompe.document.project import asset_name
from estompe.document.scene import EffectSlot
from estompe.kinds import Number, plain, register, registry, setting
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.shapes.embedded_copies import StoredOverTime
from estompe.shapes.imported import stored
from estompe.testing import KindError, check_kind
from tests import shots

ROOT = Path(__file__).parents[1]
EVERY = [(family, tag) for family in (Source, Effect, ShapeSource) for tag in kinds(family)]


@pytest.mark.parametrize(("family", "tag"), EVERY, ids=lambda item: item if isinstance(item, str) else item.__name__)
def test_every_kind_keeps_the_rules(family, tag, tmp_path):
    settings, assets = {}, {}
    if tag == "image":
        Bitmap.fromarray(np.arange(64, dtype=np.uint8).reshape(8, 8)).save(tmp_path / "p.png")
        settings = {"file": str(tmp_path / "p.png")}
    if (family, tag) == (ShapeSource, "mesh"):
        made, assets = stored(kinds(ShapeSource)["box"]().build({}))
        settings = {name: getattr(made, name) for name in made.__struct_fields__}
    if tag == "embedded-mesh":
        made, assets = stored(kinds(ShapeSource)["box"]().build({}))
        frames = np.stack([assets[made.points], assets[made.points] + 1])
        assets[asset_name(frames)] = frames
        settings = {"points": asset_name(frames), "rest": made.points, "corners": made.corners, "offsets": made.offsets}
    if tag == "embedded-copies":
        form, assets = stored(kinds(ShapeSource)["box"]().build({}))
        rows = {
            "positions": np.arange(18, dtype=np.float32).reshape(2, 3, 3),
            "axes": np.tile(np.eye(3, dtype=np.float32).reshape(1, 1, 9), (1, 3, 1)),
            "scales": np.ones((1, 3, 3), np.float32),
            "shown": np.ones((1, 3), np.bool_),
            "form": np.zeros(3, np.int32),
            "ids": np.arange(3),
        }
        assets.update({asset_name(array): array for array in rows.values()})
        names = {name: asset_name(array) for name, array in rows.items()}
        over_time = StoredOverTime(names["positions"], names["axes"], names["scales"], names["shown"])
        settings = {"forms": (form,), "form": names["form"], "ids": names["ids"], "frames": over_time}
    if tag in ("shot-mesh", "shot-copies"):
        prim = {"shot-mesh": "/World/Boat/Hull", "shot-copies": "/World/Buoys"}[tag]
        settings = {"file": str(shots.boat_stage(tmp_path / "boat.usda")), "prim": prim}
    if tag in ("grow-by-steps", "grow", "weather", "coat", "round", "merge"):
        settings = {"voxel": 0.1}  # coarse: it is the rules that are looked at
    check_kind(kinds(family)[tag], settings, assets)


@pytest.fixture
def taken():
    """Kinds registered by a test are gone after it."""
    before = {family: dict(found) for family, found in registry._KINDS.items()}
    yield
    for family, found in before.items():
        registry._KINDS[family].clear()
        registry._KINDS[family].update(found)


def _effect(apply, **more):
    """An effect that does what a test says."""
    amount = Annotated[Number, setting("Amount", "How much.", unit=more.pop("unit", "length"))]
    body = {
        "__annotations__": {"amount": amount},
        "amount": 0.1,
        "label": "Bad",
        "text": "Breaks a rule.",
        "apply": apply,
    }
    return register(type(Effect)("Bad", (Effect,), {**body, **more}, tag="test:bad"))


def _moved(geometry, by):
    return geometry.moved(geometry.points + np.float32(by))


@pytest.mark.usefixtures("taken")
@pytest.mark.parametrize(
    ("apply", "rule"),
    [
        (lambda self, mesh, strength, context: _moved(mesh, plain(self.amount)), "where the strength is 0"),
        (lambda self, mesh, strength, context: _moved(mesh, np.nan * strength[:, None]), "has a problem"),
        (lambda self, mesh, strength, context: mesh.points, "has a problem"),
        (
            lambda self, mesh, strength, context: _moved(mesh, np.random.default_rng().random() * strength[:, None]),
            "other bits",
        ),
        (lambda self, mesh, strength, context: context.control("control") and mesh, "without declaring"),
    ],
)
def test_effects_that_break_a_rule_are_found(apply, rule):
    with pytest.raises(KindError, match=rule):
        check_kind(_effect(apply))


@pytest.mark.usefixtures("taken")
def test_what_is_altered_in_silence_is_found():
    def apply(_self, mesh, strength, _context):
        return _moved(mesh, strength[:, None])

    with pytest.raises(KindError, match="alters points without saying so"):
        check_kind(_effect(apply, alters=()))


@pytest.mark.usefixtures("taken")
def test_an_unknown_unit_and_a_text_that_is_no_sentence_are_found():
    keep: ClassVar = lambda self, mesh, strength, context: mesh  # noqa: E731
    with pytest.raises(ValueError, match="unknown unit “furlongs”: use one of"):
        _effect(keep, unit="furlongs")


def test_a_class_that_is_no_kind_is_refused():
    with pytest.raises(KindError, match="made from none"):
        check_kind(int)


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """The example plug-in, installed into a folder of its own, and an environment that finds it."""
    folder = tmp_path_factory.mktemp("plug-in")
    shutil.copytree(ROOT / "examples" / "estompe-tidal", folder / "source")
    command = [sys.executable, "-m", "pip", "install", "--quiet", "--no-index", "--no-deps", "--no-build-isolation"]
    done = subprocess.run(
        [*command, "--target", str(folder / "site"), str(folder / "source")],
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    path = os.pathsep.join((str(folder / "site"), str(ROOT / "src")))
    return folder, {**os.environ, "PYTHONPATH": path}


def test_the_example_passes_its_own_tests(installed):
    folder, environment = installed
    command = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", str(folder / "source" / "tests")]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False, cwd=folder)
    assert done.returncode == 0, done.stdout


_SAVE = """
import sys, estompe
from estompe.document import edits
from estompe.kinds.kind import Effect
from estompe.kinds.registry import kinds
from estompe.document.scene import EffectSlot
from estompe.samples import sample
project = sample("moon-swell").build(0.05)
slot = EffectSlot("drip", kinds(Effect)["tidal:drip"](0.3))
shape = project.scene.shapes[0].id
estompe.save(project.with_scene(edits.insert(project.scene, ("shapes", shape, "effects"), slot)), sys.argv[1])
estompe.save(estompe.open(sys.argv[1]), sys.argv[1])
"""


def test_a_scene_of_a_plug_in_opens_without_it_says_so_and_is_saved_back_as_it_was(installed, tmp_path):
    from estompe.document import file
    from estompe.evaluation import evaluate

    path = tmp_path / "drip.estompe"
    subprocess.run([sys.executable, "-c", _SAVE, str(path)], env=installed[1], check=True)
    command = [sys.executable, "-m", "estompe.cli", "info", str(path), "--frame", "1"]
    known = subprocess.run(command, env=installed[1], capture_output=True, text=True, check=True)
    assert json.loads(known.stdout)["problems"] == []
    assert "tidal:drip" in known.stdout

    project = file.load(path)
    shape = project.scene.shapes[0].id
    slot: EffectSlot = edits.get(project.scene, ("shapes", shape, "effects", "drip"))
    assert slot.effect.label == "“tidal:drip”"
    frame = evaluate(project, 1)
    assert "install the plug-in that brings it" in frame.problems[0].text
    without = project.with_scene(edits.remove(project.scene, ("shapes", shape, "effects", "drip")))
    assert np.array_equal(frame[shape].points, evaluate(without, 1)[shape].points)
    file.save(project, tmp_path / "again.estompe")
    assert (tmp_path / "again.estompe").read_bytes() == path.read_bytes()


_KEEP = """
from typing import Annotated
from estompe.kinds import Effect, Number, register, setting

class Bad(Effect, tag="test:bad"{options}):
    label, text = "Bad", "Breaks a rule."
    {body}
    amount: Annotated[Number, setting("Amount", "How much."{setting})] = 0.1
    def apply(self, geometry, strength, context):
        return geometry

register(Bad)
"""


@pytest.mark.usefixtures("taken")
@pytest.mark.parametrize(
    ("body", "more", "words"),
    [
        ("pass", ', editor="wheel"', "editor “wheel”, for which there is no field.*entry point “wheel”"),
        ("pass", ', unit="furlongs"', "unknown unit “furlongs”: use one of"),
        ("pass", ", low=2.0, high=1.0", "crossed limits"),
        ("pass", ', when=("size", (1,))', "depends on “size”, which is none of its fields"),
        ('alters = ("point",)', "", "alters names “point”: use one of"),
        ('acts = ("edges",)', "", "acts names “edges”"),
        ('late = ("size",)', "", "late names “size”"),
        ('pivot_setting = "pivot"', "", "pivot_setting names “pivot”"),
        ("def reads(self): return ('normal',)", "", "reads.. names “normal”, which is nothing to read: use one of"),
    ],
)
def test_registering_refuses_what_would_fail_later_with_file_and_line(tmp_path, monkeypatch, body, more, words):
    (tmp_path / "bad_kind.py").write_text(_KEEP.format(options="", body=body, setting=more))
    monkeypatch.syspath_prepend(tmp_path)
    sys.modules.pop("bad_kind", None)
    with pytest.raises(ValueError, match=rf"(?s)bad_kind.Bad \(.*bad_kind.py:5\): .*{words}"):
        __import__("bad_kind")


def test_the_editors_that_kinds_can_name_are_those_that_the_window_brings():
    import estompe.app.fields  # noqa: F401 - registers the fields
    from estompe.app.widgets import fields
    from estompe.kinds import editors

    assert set(fields._BY_EDITOR) | {"hidden"} == editors.BUILT_IN
