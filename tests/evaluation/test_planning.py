"""Planning and running: what effects leave alone, what fails on the way, and work that was stopped half way."""

import numpy as np
import pytest
from scripts import reference
from tests.counting import CountingMemo

from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.poses import Pose, Poses
from estompe.effects.push import Push
from estompe.evaluation import CancelledError, Memo, evaluate
from estompe.evaluation.planning.plan import Plan
from estompe.evaluation.time.past import Past
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.distance import Distance
from estompe.falloffs.formula import FormulaSource
from estompe.falloffs.other import Other
from estompe.geometry import GeometryError
from estompe.kinds.kind import EVERYTHING, Effect
from estompe.kinds.numbers import Formula, Key, Keyed
from estompe.kinds.registry import kinds
from estompe.shapes.grid import Grid

_SWINGING = Transform((Keyed((Key(1, -0.5), Key(20, 0.5))), 0.2, 0.0))


def _project(*effects, falloffs=(), controls=()):
    near = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.1, 0.8))
    shape = Shape("sheet", "Sheet", Grid(1.0, 1.0, 8, 8), effects=effects)
    lamp = Control("lamp", "Lamp", transform=_SWINGING)
    return Project(Scene((shape,), (*controls, lamp), (near, *falloffs)))


def _arrays(geometry):
    return {
        "points": geometry.points,
        "normals": geometry.normals,
        "rest": geometry.rest,
        "attributes": geometry.attributes,
        "topology": geometry.topology,
    }


@pytest.mark.thorough
@pytest.mark.parametrize("tag", kinds(Effect))
def test_an_effect_alters_only_what_it_says(tag):
    for frame in (1, 12):
        project = reference._effect_project(tag)
        past = Past(project, Memo())
        plan = Plan(project, frame, past.memo, past)
        chain = plan.settled(lambda plan=plan: plan.chain("vase"))
        states = [state for _, state in chain.steps] + [chain.last]
        for (effect, before), after in zip(chain.steps, states[1:], strict=True):
            old, new = _arrays(before.geometry), _arrays(after.geometry)
            for name in set(EVERYTHING) - set(effect.effect.alters):
                same = np.array_equal if name == "normals" else lambda one, other: one is other
                assert same(old[name], new[name]), (effect.effect.label, name)
                assert before.tokens[name] == after.tokens[name]


def test_colours_leave_what_is_measured_later_as_it_is():
    fading = Color((0.9, 0.2, Keyed((Key(1, 0.0), Key(20, 1.0)))))
    still = Falloff("still", "Still", (Layer("reach", Distance("stone")),), Range(0.1, 0.8))
    effects = EffectSlot("colour", fading), EffectSlot("push", Push(0.1), (Route("still"),))
    project, memo = _project(*effects, falloffs=(still,), controls=(Control("stone", "Stone"),)), CountingMemo()
    for frame in range(1, 6):
        evaluate(project, frame, memo)
    assert memo.computed["measure"] == memo.computed["strength"] == 1
    assert memo.computed["apply"] == 10


def test_what_fails_is_left_out_and_everything_else_is_kept():
    lost = Falloff("lost", "Lost", (Layer("stored", Attribute("barnacles")), Layer("reach", Distance("lamp"), "add")))
    other = Poses((Pose("a", "A", "0" * 64, 1.0),))
    effects = (
        EffectSlot("first", Push(0.1), (Route("near"),)),
        EffectSlot("poses", other, (Route("near"),)),
        EffectSlot("lost", Push(0.2), (Route("lost"),)),
        EffectSlot("last", Push(0.1), (Route("near"),)),
    )
    project, memo = _project(*effects, falloffs=(lost,)), CountingMemo()
    frame = evaluate(project, 5, memo)
    said = {problem.path[-1]: problem.text for problem in frame.problems}
    assert said.keys() == {"poses", "stored"}
    assert "barnacles" in said["stored"]
    assert frame.after("sheet", "poses") is frame.after("sheet", "first")
    without = evaluate(_project(effects[0], *effects[2:], falloffs=(lost,)), 5)
    assert np.array_equal(frame["Sheet"].points, without["Sheet"].points)
    before = memo.computed.copy()
    again = evaluate(project, 5, memo)
    assert {problem.path[-1]: problem.text for problem in again.problems} == said
    assert memo.computed == before


def test_a_number_that_depends_on_what_fails_is_worked_out_without_it():
    lost = Falloff("lost", "Lost", (Layer("stored", Attribute("barnacles")),), Range(0.0, 1.0))
    layers = Layer("other", Other("lost")), Layer("across", FormulaSource("0.5 + Lamp.position.z"), "larger")
    slope = Falloff("slope", "Slope", layers, Range(1.0, 0.0))
    oar = Control("oar", "Oar", transform=Transform((Formula("mean(Slope, Sheet)"), 0.0, 0.0)))
    lamp = Control("lamp", "Lamp", transform=Transform((0.0, 0.0, Formula("nearest(Lost, Sheet) / 2"))))
    shape = Shape("sheet", "Sheet", Grid(1.0, 1.0, 8, 8), effects=(EffectSlot("push", Push(0.1), (Route("slope"),)),))
    frame = evaluate(Project(Scene((shape,), (oar, lamp), (lost, slope))), 1)
    assert [problem.path[-1] for problem in frame.problems] == ["stored"]
    assert frame.scene.controls[1].transform.position[2] == 0.0
    assert frame.scene.controls[0].transform.position[0] == pytest.approx(1.0, abs=1e-6)


def test_a_source_that_meets_an_unusable_mesh_says_so(monkeypatch):
    def failing(_self, _samples, _at):
        raise GeometryError("the mesh is in two minds")

    monkeypatch.setattr(Distance, "measure", failing)
    frame = evaluate(_project(EffectSlot("push", Push(0.1), (Route("near"),))), 1)
    assert [problem.text for problem in frame.problems] == ["Distance: the mesh is in two minds"]
    assert np.isfinite(frame["Sheet"].points).all()


def test_what_was_done_before_work_was_stopped_is_not_done_again():
    effects = EffectSlot("first", Push(0.1), (Route("near"),)), EffectSlot("last", Push(0.2), (Route("near"),))
    project, whole = _project(*effects), CountingMemo()
    expected = evaluate(project, 5, whole)["Sheet"].points
    for calls in range(1, sum(whole.computed.values()) + 1):
        memo, left = CountingMemo(), iter(range(calls))

        def stop(left=left):
            if next(left, None) is None:
                raise CancelledError

        try:
            evaluate(project, 5, memo, stop)
        except CancelledError:
            assert sum(memo.computed.values()) == calls
        assert np.array_equal(evaluate(project, 5, memo)["Sheet"].points, expected)
        assert memo.computed == whole.computed


def test_a_scene_without_memory_hashes_no_program(monkeypatch):
    """The digest of the program takes as long as planning a frame, and only states need it."""
    monkeypatch.setattr("estompe.evaluation.time.past.program_digest", lambda: pytest.fail("it was asked for"))
    evaluate(_project(EffectSlot("push", Push(0.1), (Route("near"),))), 5)
