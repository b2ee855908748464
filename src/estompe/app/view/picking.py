"""What lies at the pointer: asked of the drawing thread, and then read, chosen, painted on or pulled."""

import numpy as np
from PyQt6.QtCore import QPointF

from estompe.app.view.contours import contour_at
from estompe.app.view.drawing import Probe
from estompe.app.view.probe import element_name, element_outline, nearest_element, read, surface_position
from estompe.document import edits
from estompe.render.item import Hit


class Picking:
    """What one view does with what lies under a pixel of it."""

    def __init__(self, view) -> None:
        self._view, self._session = view, view.session
        self._nearest: tuple[str, int] | None = None
        view.drawer.probed.connect(self._probed)

    def ask(self, at: QPointF, purpose: str) -> None:
        """Ask the drawing thread what lies under a pixel, as `View.ask` has it."""
        if self._session.document.scene.shapes:
            ratio = self._view.devicePixelRatioF()
            self._view.drawer.probe(
                Probe(
                    self._view.job(), at.x() * ratio, at.y() * ratio, purpose, every=purpose in ("paint", "contour end")
                )
            )

    def _probed(self, probe: Probe, hit: Hit | None) -> None:
        """Take what the drawing thread found under a pixel."""
        take = {
            "choose": self._choose,
            "toggle": self._toggle,
            "measure": self._measure,
            "place": self._place,
            "paint": self._paint_at,
            "value": self._read,
            "contour": self._pull_contour,
            "contour end": self._pull_contour,
        }
        take[probe.purpose](probe, hit)

    def _choose(self, probe: Probe, hit: Hit | None) -> None:
        if hit is None or not self._may_pick(hit.id):
            return
        self._session.selection.choose_shape(hit.id)
        answer = self._session.evaluator.answer
        if answer is None or not answer.frame.has(hit.id):
            return
        outline = element_outline(answer, hit)
        self._session.selection.mark_edges(outline)
        element = nearest_element(answer, hit, probe.job.viewpoint, *probe.pixel)
        if element is not None and outline is None:
            self._session.selection.click_element(*element)
        elif element is not None:
            name = element_name(answer, *element)
            self._session.selection.click_element(*element)
            self._session.messages.say(f"{answer.frame.shape(hit.id).name}: {name}; P follows it over time")

    def _may_pick(self, shape: str) -> bool:
        path = ("shapes", shape)
        scene = self._session.document.scene
        return edits.exists(scene, path) and not edits.get(scene, path).listing.locked

    def _toggle(self, _probe: Probe, hit: Hit | None) -> None:
        """Pick one shape more, or no longer."""
        if hit is not None and self._may_pick(hit.id):
            self._session.selection.toggle(("shapes", hit.id))

    def _measure(self, probe: Probe, hit: Hit | None) -> None:
        """Measure to what lies there."""
        position = self._surface(probe, hit)
        if position is None:
            self._session.messages.say("there is no surface there to measure to", "warning")
        else:
            self._view.measure_to(position)

    def _place(self, probe: Probe, hit: Hit | None) -> None:
        """Take note of the surface that what is dragged goes to."""
        if hit is not None and self._session.selection.picked != ("shapes", hit.id):
            self._view.dropped_at = self._surface(probe, hit)

    def _surface(self, probe: Probe, hit: Hit | None) -> np.ndarray | None:
        answer = self._session.evaluator.answer
        if hit is None or answer is None or not answer.frame.has(hit.id):
            return None
        return surface_position(answer, hit, probe.job.viewpoint, *probe.pixel)

    def _paint_at(self, probe: Probe, hit: Hit | None) -> None:
        answer = self._session.evaluator.answer
        if hit is None or answer is None or hit.id != self._session.selection.shape_id or not answer.frame.has(hit.id):
            return
        position = surface_position(answer, hit, probe.job.viewpoint, *probe.pixel)
        if position is not None:
            self._session.painting.touch(hit.id, position)

    def _read(self, probe: Probe, hit: Hit | None) -> None:
        answer = self._session.evaluator.answer
        if hit is None or answer is None or self._view.pointer.at is None or not answer.frame.has(hit.id):
            self._nearest = None
            self._view.pointer.see_contour(None)
            self._view.set_reading(None)
            return
        self._nearest = nearest_element(answer, hit, probe.job.viewpoint, *probe.pixel)
        reading = read(answer, hit, probe.job.viewpoint, *probe.pixel)
        contour = None
        if reading is not None and self._view.mode == "strength":
            ratio = self._view.devicePixelRatioF()
            size = probe.pixel[1][0] / ratio, probe.pixel[1][1] / ratio
            contour = contour_at(answer, hit, probe.job.viewpoint, reading.value, size)
        self._view.pointer.see_contour(contour)
        self._view.set_reading(reading)

    def _pull_contour(self, probe: Probe, hit: Hit | None) -> None:
        """Pull the line that is held to what lies at the pointer now."""
        answer, reading = self._session.evaluator.answer, None
        if hit is not None and answer is not None and answer.frame.has(hit.id):
            reading = read(answer, hit, probe.job.viewpoint, *probe.pixel)
        self._view.pointer.pull_to(None if reading is None else reading.value, probe.purpose == "contour end")

    def nearest_element(self) -> tuple[str, int, str] | None:
        """The shape, the number and the name of the element that the last reading was of, or the point nearest to it."""
        answer = self._session.evaluator.answer
        if self._nearest is None or answer is None or not answer.frame.has(self._nearest[0]):
            return None
        return (*self._nearest, element_name(answer, *self._nearest))
