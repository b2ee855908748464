"""What a frank reading found wrong with the window once."""

import numpy as np
from PyQt6.QtCore import Qt

from estompe.app.time import lanes
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Scene, Shape
from estompe.effects.joints import Joints, straight_chain
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box

PATH = ("controls", "lantern", "transform", "position", 0)


def test_setting_how_keys_go_on_keeps_what_the_number_does_outside_of_them(sample):
    keyed = Keyed((Key(1, 0.0), Key(20, 1.0)), before="loop", after="continue")
    sample.session.document.put(PATH, keyed, "Keys")
    canvas = sample.window.time.canvas
    index = next(i for i, lane in enumerate(canvas.lanes) if PATH in lane.paths)
    scene = lanes.shaped(sample.session.document.scene, canvas.lanes, {(index, 1.0)}, "step")
    sample.session.document.commit(scene, "Step")
    now = sample.get(*PATH)
    assert (now.before, now.after) == ("loop", "continue")
    assert [key.interpolation for key in now.keys] == ["step", "smooth"]


def test_a_shape_whose_id_is_joints_is_a_shape(driver):
    effect = EffectSlot("chain", Joints(straight_chain((0, 0, 0), (0, 1, 0), 3)))
    scene = Scene((Shape("joints", "Joints", Box(1.0, 1.0, 1.0, 2), effects=(effect,)),))
    driver.session.begin(Project(scene), None, "joints")
    driver.settle()
    driver.session.selection.choose_shape("joints")
    driver.view.setFocus()
    driver.keys(Qt.Key.Key_K)
    assert isinstance(driver.get("shapes", "joints", "transform", "position", 0), Keyed)
    driver.session.selection.choose_part(("shapes", "joints", "effects", "chain", "effect", "joints", "joint-2"))
    driver.keys(Qt.Key.Key_K)
    assert isinstance(
        driver.get("shapes", "joints", "effects", "chain", "effect", "joints", "joint-2", "rotation", 0), Keyed
    )


def test_nothing_of_one_project_stays_in_the_next(sample, small_sample):
    session = sample.session
    session.selection.mark_edges(np.zeros((2, 2, 3), np.float32))
    session.numbers.begin_link(PATH)
    sample.window.run("brush")
    assert session.painting.path is not None
    session.begin(small_sample, None, "again")
    assert session.selection.marked_edges is None
    assert session.numbers.linking is None
    assert session.painting.path is None
