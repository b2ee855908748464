"""Every sample opened, played and probed through the window."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt

from estompe.samples import SAMPLES


@pytest.mark.parametrize("item", SAMPLES, ids=lambda item: item.name)
def test_it_opens_plays_and_is_probed(driver, item):
    session, view = driver.session, driver.view
    session.begin(item.build(0.1), None, item.title)
    session.go(item.picture_frame)
    driver.settle()
    assert not session.answer.frame.problems
    shape = next(s for s in session.scene.shapes if any(e.routes for e in s.effects))
    falloff = next(route.falloff for effect in reversed(shape.effects) for route in effect.routes)
    session.choose_shape(shape.id)
    session.choose_falloff(falloff)
    driver.settle()
    shown = session.answer.current
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
    before = session.frame
    driver.keys(Qt.Key.Key_Space)
    driver.qtbot.waitUntil(lambda: session.frame != before, timeout=10_000)
    driver.keys(Qt.Key.Key_Space)
    driver.settle()
    assert driver.window.measure.rows
