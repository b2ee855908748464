"""Edits share what they do not change; undo and redo return to the identical scene."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.scenes import one_push, scenes

from estompe.document import edits
from estompe.document.edits import EditError
from estompe.document.history import History
from estompe.document.scene import Control, Scene
from estompe.document.variants import Variant
from estompe.setups.adding import add_control, add_effect, add_falloff, add_layer, add_shape, duplicate


def test_put_shares_everything_else():
    scene = one_push().scene
    changed = edits.put(scene, ("controls", "lamp", "transform", "position", 1), 2.0)
    assert changed.controls[0].transform.position == (0.6, 2.0, 0.0)
    assert changed.shapes is scene.shapes
    assert changed.falloffs is scene.falloffs
    assert edits.put(scene, ("controls", "lamp", "name"), scene.controls[0].name) is scene


@pytest.mark.parametrize(
    "path", [("controls", "nobody"), ("weather",), ("shapes", 3), ("controls", "lamp", "transform", "position", 5)]
)
def test_paths_that_name_nothing(path):
    with pytest.raises(EditError):
        edits.get(one_push().scene, path)
    assert not edits.exists(one_push().scene, path)


@pytest.mark.thorough
@given(scenes())
def test_every_number_can_be_reached_by_its_path(scene):
    for path, number in edits.numbers_below(scene):
        assert edits.get(scene, path) is number


def test_insert_remove_and_reorder():
    scene = Scene()
    for _ in range(3):
        scene, _ = add_control(scene)
    names = [control.name for control in scene.controls]
    assert names == ["Control", "Control 2", "Control 3"]
    moved = edits.reorder(scene, ("controls", "control-3"), 0)
    assert [control.id for control in moved.controls] == ["control-3", "control-1", "control-2"]
    assert edits.remove(moved, ("controls", "control-3")).controls == scene.controls[:2]


def test_ids_are_fresh_in_the_whole_scene():
    scene = edits.insert(Scene(), ("controls",), Control("layer-1", "Odd"))
    assert edits.fresh_id(scene, "layer") == "layer-2"


def test_a_drag_is_one_step():
    history = History(one_push().scene)
    path = ("controls", "lamp", "transform", "position", 0)
    for x in (0.7, 0.8, 0.9):
        history.commit(edits.put(history.scene, path, x), "Move Lamp", merge_key="drag")
    history.end_gesture()
    history.commit(edits.put(history.scene, path, 1.5), "Move Lamp", merge_key="drag")
    history.undo()
    assert edits.get(history.scene, path) == 0.9
    assert history.undo_label == "Move Lamp"
    history.undo()
    assert edits.get(history.scene, path) == 0.6
    assert history.undo_label is None
    assert history.redo_label == "Move Lamp"


def test_an_edit_after_undo_forgets_what_was_undone():
    history = History(Scene())
    history.commit(Scene(last=50), "a")
    history.undo()
    history.commit(Scene(last=60), "b")
    history.redo()
    assert history.scene.last == 60
    assert history.redo_label is None


def _random_edit(scene: Scene, dice: random.Random) -> Scene:
    choice = dice.randrange(6)
    if choice == 0 or not scene.shapes:
        return add_shape(scene, "Sphere", dice.choice(one_push().scene.shapes).source)[0]
    if choice == 1 or not scene.controls:
        return add_control(scene)[0]
    if choice == 2 or not scene.falloffs:
        return add_falloff(scene)[0]
    if choice == 3:
        return add_layer(scene, dice.choice(scene.falloffs).id, dice.choice(["noise", "distance"]))[0]
    if choice == 4:
        return add_effect(scene, dice.choice(scene.shapes).id, "push", dice.choice(scene.falloffs).id)[0]
    return duplicate(scene, ("controls", dice.choice(scene.controls).id))[0]


@settings(deadline=None)
@given(st.integers(0, 10_000))
def test_a_random_walk_of_undo_and_redo_returns_to_identical_scenes(seed):
    dice = random.Random(seed)
    history, past = History(Scene()), [Scene()]
    past[0] = history.scene
    position = 0
    for _ in range(40):
        move = dice.random()
        if move < 0.5:
            history.commit(_random_edit(history.scene, dice), "edit")
            del past[position + 1 :]
            past.append(history.scene)
            position += 1
        elif move < 0.8:
            history.undo()
            position = max(0, position - 1)
        else:
            history.redo()
            position = min(len(past) - 1, position + 1)
        assert history.scene is past[position]


def test_subscribers_get_the_old_and_the_new_scene():
    history, heard = History(Scene()), []
    history.subscribe(lambda old, new: heard.append((old.last, new.last)))
    history.commit(Scene(last=10), "shorter")
    history.undo()
    history.undo()
    assert heard == [(144, 10), (10, 144)]


def test_variants_are_kept_and_forgotten_by_steps():
    history, heard, told = History(Scene()), [], []
    history.subscribe(lambda old, new: heard.append((old.last, new.last)))
    history.subscribe_to_variants(lambda: told.append([variant.name for variant in history.variants]))
    calm = Variant("Calm", history.scene)
    history.commit(history.scene, "Keep Calm", None, (calm,))
    history.commit(Scene(last=10), "shorter")
    history.commit(history.scene, "Keep nothing", None, ())
    assert (heard, told) == ([(144, 10)], [["Calm"], []])
    history.undo()
    assert history.variants == (calm,)
    history.undo()
    assert history.scene.last == 144
    assert history.variants == (calm,)
    history.undo()
    assert (history.variants, history.undo_label) == ((), None)
    assert (heard, told) == ([(144, 10), (10, 144)], [["Calm"], [], ["Calm"], []])
    history.commit(history.scene, "the same again", None, ())
    assert history.redo_label == "Keep Calm", "where nothing differs there is no step"


def test_the_last_frame_is_never_before_the_first():
    scene = Scene(first=10, last=20)
    assert edits.in_order(edits.put(scene, ("last",), 4), scene).last == 10
    assert edits.in_order(edits.put(scene, ("first",), 33), scene).first == 20
    moved = edits.put(scene, ("last",), 12)
    assert edits.in_order(moved, scene) is moved


def test_many_fresh_ids_and_names_are_those_that_one_after_the_other_would_get():
    scene = one_push().scene
    fresh = edits.FreshNames.beside(scene)
    for word in ("Lamp", "Lamp", "Float", "Lamp 2", "Lamp"):
        expected = edits.fresh_id(scene, "control"), edits.fresh_name(edits.names_of(scene), word)
        assert (fresh.id("control"), fresh.name(word)) == expected
        scene = edits.insert(scene, ("controls",), Control(*expected))
