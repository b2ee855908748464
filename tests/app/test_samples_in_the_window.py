"""Every sample opened, played and probed through the window."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from estompe.samples import SAMPLES
from tests.samples.early import early


@pytest.mark.parametrize("item", SAMPLES, ids=lambda item: item.name)
def test_it_opens_plays_and_is_probed(driver, item):
    session, view = driver.session, driver.view
    project = item.build(0.06)
    session.begin(project, None, item.title)
    session.playhead.go(early(project, item.picture_frame))
    driver.settle()
    assert not session.evaluator.answer.frame.problems
    begun, feeding = session.selection.shape, session.selection.falloff
    assert begun.visible
    assert feeding.id in {route.falloff for effect in begun.effects for route in effect.routes}
    shape = next(s for s in session.document.scene.shapes if any(e.routes for e in s.effects))
    falloff = next(route.falloff for effect in reversed(shape.effects) for route in effect.routes)
    session.selection.choose_shape(shape.id)
    session.selection.choose_falloff(falloff)
    driver.settle()
    shown = session.evaluator.answer.current
    points = shown.mesh.points
    facing = points @ np.subtract(view.viewpoint.eye, view.viewpoint.target)
    visible = np.argsort(facing)[::-1]
    for point in visible[:: max(1, len(visible) // 40)]:
        driver.move(view, QPointF(*driver.pixel(points[point])))
        driver.qtbot.wait(40)
        if view.reading is not None:
            break
    assert view.reading is not None
    assert -0.01 <= view.reading.strength <= 1.01
    before = session.playhead.frame
    driver.keys(Qt.Key.Key_Space)
    driver.qtbot.waitUntil(lambda: session.playhead.frame != before, timeout=10_000)
    driver.keys(Qt.Key.Key_Space)
    driver.settle()
    assert driver.window.measure.rows
