"""How light is shown in the view: chosen in its bar, told there, and never part of what is written or undone."""

import numpy as np
import pytest
from PyQt6.QtWidgets import QMenu

from estompe.render.view_transform import PLAIN, ViewTransform

FILMIC = "sRGB - Display/ACES 2.0 - SDR 100 nits (Rec.709)"


@pytest.fixture
def menu(sample, monkeypatch):
    monkeypatch.delenv("OCIO", raising=False)
    sample.view.set_mode("shaded")
    sample.settle()
    opened = QMenu()
    sample.view.bar.fill_display_menu(opened)
    return opened


def _action(menu, words):
    return next(action for action in menu.actions() if action.text() == words)


def _pixels(sample):
    sample.settle()
    image = sample.view.picture()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(image.height(), -1, 4)[..., :3].astype(int)


def test_exposure_is_chosen_and_told_and_leaves_the_scene_alone(sample, menu):
    before, scene = _pixels(sample), sample.session.document.scene
    assert sample.view.bar.display.text() == "sRGB ▾"
    _action(menu, "Half a stop brighter").trigger()
    assert sample.view.bar.display.text() == "sRGB +0.5 EV ▾"
    brighter = _pixels(sample)
    assert brighter.mean() > before.mean()
    assert np.array_equal(brighter[0, 0], before[0, 0]), "the ground is no light"
    sample.view.bar.fill_display_menu(menu)
    _action(menu, "Exposure 0").trigger()
    assert np.array_equal(_pixels(sample), before)
    assert sample.session.document.scene is scene


def test_the_views_of_a_configuration_are_listed_by_display_and_one_is_chosen(sample, menu):
    before = _pixels(sample)
    display = next(action.menu() for action in menu.actions() if action.menu() and action.text() == "sRGB - Display")
    _action(display, "ACES 2.0 - SDR 100 nits (Rec.709)").trigger()
    assert sample.view.shown_as == ViewTransform(FILMIC)
    assert sample.view.bar.display.text() == "ACES 2.0 ▾"
    assert np.abs(_pixels(sample) - before).max() > 10


def test_a_configuration_that_cannot_be_read_is_told_and_srgb_stays(sample, menu, monkeypatch, tmp_path):
    (tmp_path / "broken.ocio").write_text("nothing")
    monkeypatch.setenv("OCIO", str(tmp_path / "broken.ocio"))
    sample.view.bar.fill_display_menu(menu)
    assert any("cannot be read" in action.text() and not action.isEnabled() for action in menu.actions())
    sample.view.show_as(ViewTransform(FILMIC))
    assert sample.view.shown_as == PLAIN
