"""No label on any card is cut off at 1280x800, with all settings unfolded."""

import pytest
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLabel
from pytestqt.exceptions import TimeoutError as PytestQtTimeoutError

from estompe.document.project import Project
from estompe.document.scene import Scene
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.registry import kinds
from estompe.setups.adding import Place, add_effect, add_shape, add_source, new_shape_source
from estompe.shapes.sphere import Sphere


def _cut_off(panel):
    """The labels of a panel that are wider than they may be, each with its width and the one it has."""
    labels = [item for item in panel.findChildren(QLabel) if item.isVisible() and item.text() and not item.wordWrap()]
    needed = {item: item.fontMetrics().horizontalAdvance(item.text()) for item in labels}
    return [(item.text(), needed[item], item.width()) for item in labels if needed[item] > item.width() + 1]


@pytest.fixture
def ball(driver):
    scene, shape = add_shape(Scene(), "Sphere", Sphere(0.5, 8))
    driver.session.selection.unfolded = {
        kind.__name__ for family in (Effect, Source, ShapeSource) for kind in kinds(family).values()
    }
    return driver, scene, shape


def _check(driver, panel, tag):
    """Fail where labels stay cut off after answers have come and everything is laid out."""
    try:
        driver.qtbot.waitUntil(lambda: not _cut_off(panel), timeout=2000)
    except PytestQtTimeoutError:
        pytest.fail(f"{tag}: {_cut_off(panel)}")


def _shown(driver, scene):
    driver.session.begin(Project(scene), None, "cut off")
    QTest.qWait(20)


def test_labels_of_effects_are_whole(ball):
    driver, scene, shape = ball
    for tag in kinds(Effect):
        changed, effect = add_effect(scene, shape, tag, None, Place())
        _shown(driver, changed)
        driver.window.drive.open_card(effect)
        QTest.qWait(20)
        _check(driver, driver.window.drive, tag)


def test_labels_of_sources_are_whole(ball):
    driver, scene, shape = ball
    for tag in kinds(Source):
        added = add_source(scene, tag, None, shape, Place())
        _shown(driver, added.scene)
        driver.session.selection.choose_falloff(added.falloff, added.layer)
        QTest.qWait(20)
        _check(driver, driver.window.measure, tag)
        _check(driver, driver.window.ramp, tag)


def test_labels_of_shapes_are_whole(ball):
    driver, scene, shape = ball
    scene, _ = add_effect(scene, shape, "push", None)
    for tag, kind in kinds(ShapeSource).items():
        if kind.group == "from files":
            continue
        other, _ = add_shape(scene, "Other", Sphere(0.2, 4))
        if kind.branches_setting:
            other, _ = add_shape(other, "Branches", new_shape_source(other, "branches-surface", shape))
        path = add_source(other, "along", None, shape, Place()).scene
        changed, made = add_shape(path, "Made", new_shape_source(path, tag, shape))
        _shown(driver, changed)
        driver.session.selection.choose_shape(made)
        QTest.qWait(20)
        _check(driver, driver.window.picked, tag)
