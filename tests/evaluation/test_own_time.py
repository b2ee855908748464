"""Times of their own: a shape, a control or a falloff that holds, runs backwards or late is what it is on that other frame."""

import numpy as np
import pytest
from msgspec import structs
from tests import shots

from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.push import Push
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.past import Past
from estompe.falloffs.after_glow import AfterGlow
from estompe.falloffs.distance import Distance
from estompe.importing.footage import close_all
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.samples import sample
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.shot_mesh import ShotMesh
from estompe.shapes.sphere import Sphere

BACKWARDS = Formula("50 - frame")


def scene(at_frame=None, control_at=None, source=None):
    """A sphere on its way, pushed where a lamp that moves is near."""
    along = Keyed((Key(1, 0.0, "linear"), Key(49, 3.0, "linear")))
    lamp = Control(
        "lamp", "Lamp", transform=Transform((Keyed((Key(1, -1.0), Key(49, 3.5))), 0.4, 0.0)), at_frame=control_at
    )
    shape = Shape(
        "ball", "Ball", Sphere(0.5, 10), Transform((along, 0.0, 0.0)), (EffectSlot("out", Push(0.2), (Route("near"),)),),
        at_frame=at_frame,
    )  # fmt: skip
    layer = Layer("reach", source or Distance("lamp"))
    return Scene((shape,), (lamp,), (Falloff("near", "Near", (layer,), Range(0.2, 1.0)),), last=48)


def points(made, frame, past=None):
    return evaluate(Project(made), frame, None, None, past)["Ball"].points


@pytest.mark.parametrize("frame", [1, 12, 30, 48])
def test_a_shape_on_a_time_of_its_own_is_what_it_is_on_that_frame(frame):
    assert np.array_equal(points(scene(BACKWARDS), frame), points(scene(), 50 - frame))


def test_holding_stops_all_of_it_and_the_strength_that_is_shown():
    held = Keyed((Key(1, 1.0, "linear"), Key(20, 20.0, "linear"), Key(48, 20.0, "linear")))
    made = Project(scene(held))
    frame = evaluate(made, 40)
    assert np.array_equal(frame["Ball"].points, points(scene(), 20))
    shown = frame.shown("ball", "near")
    assert np.array_equal(shown.strength, evaluate(Project(scene()), 20).strength("Ball", "Near"))
    assert np.array_equal(frame.strength("Ball", "Near"), shown.strength)
    assert frame.scene.shapes[0].transform.position[0] == pytest.approx(3.0 * 19 / 48)


def test_a_control_on_a_time_of_its_own_moves_alone():
    slow = Formula("frame / 2")
    frame = evaluate(Project(scene(control_at=slow)), 40)
    there = evaluate(Project(scene()), 20).scene.controls[0].transform.position[0]
    assert frame.scene.controls[0].transform.position[0] == pytest.approx(there)
    assert not np.array_equal(frame["Ball"].points, points(scene(), 20))


def test_what_remembers_goes_along_with_its_shape_in_any_order():
    after = (
        AfterGlow(falloff="spot", half_life=6.0)
        if "half_life" in AfterGlow.__struct_fields__
        else AfterGlow(falloff="spot")
    )
    spot = Falloff("spot", "Spot", (Layer("spot-reach", Distance("lamp")),), Range(0.1, 0.6))

    def remembered(at_frame=None):
        made = scene(at_frame, source=after)
        return structs.replace(made, falloffs=(*made.falloffs, spot))

    late = Formula("frame - 8")
    project = Project(remembered(late))
    past = Past(project, Memo())
    for frame in (40, 12, 25):
        assert np.array_equal(
            evaluate(project, frame, past.memo, None, past)["Ball"].points, points(remembered(), frame - 8)
        )


def test_copies_of_a_shape_show_it_as_it_is_on_its_own_time():
    made = scene(BACKWARDS)
    row = Shape("row", "Row", CopiesOnGrid(form="ball", columns=2, rows=1, size=(4.0, 0.0, 0.0)))
    form = evaluate(Project(structs.replace(made, shapes=(*made.shapes, row))), 10)["Row"].forms[0]
    plain = scene()
    wanted = evaluate(Project(structs.replace(plain, shapes=(*plain.shapes, row))), 40)["Row"].forms[0]
    assert np.allclose(form.points, wanted.points, atol=1e-6)


def test_a_shot_runs_on_a_time_of_its_own(tmp_path):
    path = str(shots.boat_stage(tmp_path / "boat.usda"))
    try:
        shape = Shape("hull", "Hull", ShotMesh(path, "/World/Boat/Hull"), at_frame=Formula("2011 - frame"))
        project = Project(Scene((shape,), first=1001, last=1010))
        plain = Project(Scene((structs.replace(shape, at_frame=None),), first=1001, last=1010))
        assert np.array_equal(evaluate(project, 1003)["Hull"].points, evaluate(plain, 1008)["Hull"].points)
    finally:
        close_all()


def test_nothing_else_in_a_sample_changes():
    project = sample("lantern-amphora").build(0.02)
    shape = structs.replace(project.scene.shapes[0], at_frame=Formula("frame - 20"))
    timed = project.with_scene(structs.replace(project.scene, shapes=(shape, *project.scene.shapes[1:])))
    now, then, late = evaluate(project, 60), evaluate(project, 40), evaluate(timed, 60)
    assert np.array_equal(late["Amphora"].points, then["Amphora"].points)
    assert np.array_equal(late["Quay"].points, now["Quay"].points)
