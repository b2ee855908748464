"""Colours are seen, chosen and keyed: of shapes, and of effects that have one."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QColorDialog

from estompe.app.fields.color import ColorField
from estompe.document import edits
from estompe.document.scene import EffectSlot
from estompe.effects.color import Color
from estompe.geometry.colors import display_color
from estompe.kinds.numbers import Formula, Keyed

SHAPE = ("shapes", "amphora", "color")
EFFECT = ("shapes", "amphora", "effects", "dyed", "effect", "full")


def _field(driver, path) -> ColorField:
    return next(made for made in driver.window.findChildren(ColorField) if made.path == path)


@pytest.fixture
def choose(monkeypatch):
    """What is chosen next, by its name; "" for leaving the choice."""
    names: list[str] = []
    shown: list[QColor] = []

    def chosen(now, *_):
        shown.append(QColor(now))
        return QColor(names.pop()) if names[-1] else QColor()

    monkeypatch.setattr(QColorDialog, "getColor", chosen)
    return names, shown


@pytest.fixture
def dyed(sample):
    session = sample.session
    slot = EffectSlot("dyed", Color((0.5, 0.25, 0.0)))
    session.document.commit(edits.insert(session.document.scene, ("shapes", "amphora", "effects"), slot), "Add")
    session.selection.choose_shape("amphora")
    sample.window.drive.open_card("dyed")
    sample.settle()
    return sample


def test_a_shape_takes_the_colour_that_is_chosen_in_one_step(sample, choose):
    sample.session.selection.choose_shape("amphora")
    sample.view.set_mode("shaded")
    sample.settle()
    before, picture = sample.session.document.scene, sample.view.grab().toImage()
    field = _field(sample, SHAPE)
    assert np.allclose(field.patch.color.getRgbF()[:3], display_color(edits.get(before, SHAPE)), atol=1e-4)
    choose[0].append("#ff0080")
    sample.click(field.patch)
    sample.settle()
    assert np.allclose(sample.get(*SHAPE), (1.0, 0.0, 0.215861), atol=1e-4), "stored in linear light"
    assert choose[1][0].name() != field.patch.color.name() == "#ff0080"
    assert sample.view.grab().toImage() != picture
    sample.session.document.undo()
    assert sample.session.document.scene is before


def test_leaving_the_choice_changes_nothing(sample, choose):
    sample.session.selection.choose_shape("amphora")
    before = sample.session.document.scene
    choose[0].append("")
    sample.click(_field(sample, SHAPE).patch)
    assert sample.session.document.scene is before


def test_its_three_numbers_are_named_by_what_they_are_and_kept_within_limits(sample):
    sample.session.selection.choose_shape("amphora")
    red, green, blue = _field(sample, SHAPE).parts
    assert not red.keyable
    sample.type_into(green, "25")
    assert sample.get(*SHAPE)[1] == pytest.approx(((0.25 + 0.055) / 1.055) ** 2.4, abs=1e-6)
    assert green._text() == "25"
    QTest.keyClick(green, Qt.Key.Key_Up)
    assert green._text() == "26"
    assert sample.session.document.undo_label.endswith("color green")
    before = sample.get(*SHAPE)[2]
    sample.type_into(blue, "-1")
    assert sample.get(*SHAPE)[2] == before
    assert blue._error


def test_a_keyed_colour_gets_keys_and_one_by_a_formula_is_left_to_it(dyed, choose):
    session = dyed.session
    session.numbers.toggle_key((*EFFECT, 0))
    scene = edits.put(session.document.scene, (*EFFECT, 2), Formula("0.3"))
    session.document.commit(scene, "Follow")
    session.playhead.go(9)
    dyed.settle()
    field = _field(dyed, EFFECT)
    assert field.parts[0].keyable
    assert np.allclose(field.patch.color.getRgbF()[:3], display_color((0.5, 0.25, 0.3)), atol=0.01)
    said: list[str] = []
    session.messages.said.connect(lambda text, _: said.append(text))
    choose[0].append("#00ff00")
    dyed.click(field.patch)
    red, green, blue = dyed.get(*EFFECT)
    assert isinstance(red, Keyed)
    assert {key.frame: round(key.value, 3) for key in red.keys} == {1.0: 0.5, 9.0: 0.0}
    assert (green, blue) == (1.0, Formula("0.3"))
    assert any("formula 0.3" in text for text in said)
    # The patch follows the frame.
    session.playhead.go(1)
    dyed.settle()
    assert np.allclose(field.patch.color.getRgbF()[:3], display_color((0.5, 1.0, 0.3)), atol=0.01)
