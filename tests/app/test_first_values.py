"""First values in the window: one entry is one step of undo, a new falloff fits, and its range is swept by one number."""

import pytest
from PyQt6.QtCore import Qt

from estompe.document.scene import Range
from estompe.setups.catalog import search


def _add(driver, words):
    driver.window.add_entry(search(words)[0])
    driver.settle()


@pytest.fixture
def ball(driver):
    _add(driver, "sphere")
    return driver


def test_a_falloff_is_one_step_with_its_control_and_a_range_that_fits(ball):
    _add(ball, "falloff")
    scene = ball.session.document.scene
    assert [type(layer.source).__name__ for layer in scene.falloffs[0].layers] == ["Distance"]
    assert len(scene.controls) == 1
    ball.qtbot.waitUntil(lambda: ball.session.document.scene.falloffs[0].range != Range(), timeout=5000)
    ball.settle()
    shown = ball.session.evaluator.answer.current
    assert shown.strength.max() > 0.9
    assert shown.strength.min() < 0.1
    ball.session.document.undo()
    assert ball.session.document.scene.falloffs == ()
    assert ball.session.document.scene.controls == ()


def test_a_range_that_was_touched_is_left_alone_and_fit_does_it_any_time(ball):
    _add(ball, "falloff")
    ball.qtbot.waitUntil(lambda: ball.session.document.scene.falloffs[0].range != Range(), timeout=5000)
    fitted = ball.session.document.scene.falloffs[0].range
    falloff = ball.session.selection.falloff_id
    ball.session.document.put(("falloffs", falloff, "range"), Range(0.0, 3.0), "Set")
    ball.settle()
    assert not ball.session.fitting.is_untouched(falloff)
    _add(ball, "noise")
    assert ball.session.document.scene.falloffs[0].range == Range(0.0, 3.0)
    ball.session.document.undo()
    ball.settle()
    ball.click(ball.button(ball.window.ramp, "fit"))
    assert ball.session.document.scene.falloffs[0].range == fitted


def test_an_effect_that_needs_a_control_is_one_step(ball):
    _add(ball, "attract")
    assert len(ball.session.document.scene.controls) == 1
    ball.session.document.undo()
    assert ball.session.document.scene.controls == ()
    assert ball.session.document.scene.shapes[0].effects == ()


def test_an_effect_without_any_shape_gets_a_sphere(driver):
    _add(driver, "push")
    (shape,) = driver.session.document.scene.shapes
    assert shape.effects[0].effect.label == "Push"
    assert driver.session.selection.shape_id == shape.id


def test_sweep_is_a_number_with_linear_keys_and_the_ramp_shows_where_it_is(ball):
    _add(ball, "falloff")
    falloff = ball.session.selection.falloff_id
    ball.click(ball.button(ball.window.ramp, "sweep"))
    ball.settle()
    path = ("falloffs", falloff, "passed")
    ball.type_into(ball.field(*path), "30")
    ball.settle()
    assert ball.get(*path) == pytest.approx(0.3)
    shown = ball.session.evaluator.answer.current.falloff.range
    assert ball.window.ramp.plot.curve.range == shown
    shells = ball.view.shells()
    assert {shell.path for shell in shells} == {path}
    assert [shell.value for shell in shells][-1] == pytest.approx(shown.gone)
    ball.session.numbers.toggle_key(path)
    ball.session.playhead.go(20)
    ball.session.numbers.set_number(path, 1.0, "Set")
    assert {key.interpolation for key in ball.get(*path).keys} == {"linear"}
    ball.settle()
    assert ball.session.evaluator.answer.current.strength.min() == 1.0


def test_delete_and_duplicate_act_on_what_was_chosen_last(ball):
    _add(ball, "falloff")
    scene = ball.session.document.scene
    falloff, control = scene.falloffs[0].id, scene.controls[0].id
    ball.session.selection.choose_control(control)
    ball.session.selection.choose_falloff(falloff)
    ball.keys(Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    assert len(ball.session.document.scene.falloffs) == 2
    assert len(ball.session.document.scene.controls) == 1
    ball.keys(Qt.Key.Key_Delete)
    assert [item.id for item in ball.session.document.scene.falloffs] == [falloff]
    assert ball.window.status.message.text().startswith("removed Falloff")
    layer = ball.session.document.scene.falloffs[0].layers[0].id
    ball.session.selection.choose_falloff(falloff, layer)
    ball.window.run("duplicate_picked")
    assert len(ball.session.document.scene.falloffs[0].layers) == 2
    ball.window.run("remove_picked")
    assert [item.id for item in ball.session.document.scene.falloffs[0].layers] == [layer]
    ball.session.selection.choose_control(control)
    ball.keys(Qt.Key.Key_Delete)
    assert ball.session.document.scene.controls == ()
    assert len(ball.session.document.scene.falloffs) == 1
