"""Every source and effect on a shape whose faces are all hidden, and on one that has no points."""

import pytest
from scripts import reference

from estompe.document import edits
from estompe.document.scene import EffectSlot, Route
from estompe.effects.hide import Hide
from estompe.effects.push import Push
from estompe.evaluation.background.answers import Request, compute_answer
from estompe.evaluation.running.memo import Memo
from estompe.kinds.kind import Effect, Source
from estompe.kinds.registry import kinds
from estompe.shapes.imported import ImportedMesh

_HIDDEN = EffectSlot("hidden", Hide())
_EFFECTS = ("shapes", "vase", "effects")


def _answer(project, falloff=None):
    return compute_answer(Request(project, 12, "vase", falloff), Memo())


def _without_points(project):
    """The same with a mesh whose arrays are not in the file."""
    missing = ImportedMesh("0" * 64, "1" * 64, "2" * 64)
    return project.with_scene(edits.put(project.scene, ("shapes", "vase", "source"), missing))


@pytest.mark.parametrize("tag", list(kinds(Source)))
def test_a_source_on_nothing(tag, tmp_path):
    project, falloff = reference._source_project(tag, tmp_path)
    effects = edits.get(project.scene, _EFFECTS)
    driven = (*effects, _HIDDEN, EffectSlot("push", Push(0.1), (Route(falloff),)))
    project = project.with_scene(edits.put(project.scene, _EFFECTS, driven))
    answer = _answer(project, falloff)
    assert not answer.frame.problems
    assert answer.frame["vase"].topology.faces == 0
    assert len(answer.current.strength) == len(answer.frame["vase"].points) > 0
    assert len(_answer(_without_points(project), falloff).frame["vase"].points) == 0


@pytest.mark.parametrize("tag", list(kinds(Effect)))
def test_an_effect_on_nothing(tag):
    project = reference._effect_project(tag)
    effects = edits.get(project.scene, _EFFECTS)
    project = project.with_scene(edits.put(project.scene, _EFFECTS, (_HIDDEN, *effects)))
    frame = _answer(project).frame
    assert frame["vase"].topology.faces == 0
    # Nothing has no volume to keep or to be, and cannot hang.
    said = ("Press", "Cloth", "has no faces")
    assert all(any(words in problem.text for words in said) for problem in frame.problems)
    assert len(_answer(_without_points(project)).frame["vase"].points) == 0
