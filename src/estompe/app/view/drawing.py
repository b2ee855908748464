"""Drawing pictures on a thread of their own: the newest job wins, and a still one follows once things rest."""

import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from estompe import faults
from estompe.render import Item, Look, Renderer, RenderError, Viewpoint

_REST = 0.15
_PATIENCE = 2.0
_SLOW, _SWIFT = 0.06, 0.022
"""Seconds for a picture after which small copies are simplified while something moves, and those it should take then."""
_TRIANGLES = 4_000, 2_000_000
"""The fewest and most triangles of copies in such a picture."""


@dataclass(frozen=True, eq=False)
class Job:
    """A picture that is wanted."""

    items: Sequence[Item]
    viewpoint: Viewpoint
    look: Look
    size: tuple[int, int]
    frame: int

    def shows_the_same(self, other: "Job") -> bool:
        """Whether both are the same picture, but for how smooth it is."""
        alike = self.items is other.items and self.viewpoint == other.viewpoint and self.size == other.size
        return alike and replace(self.look, still=True) == replace(other.look, still=True)


@dataclass(frozen=True, eq=False)
class Probe:
    """A question what lies under a pixel of a job's picture. every: it must be answered even if newer ones follow."""

    job: Job
    x: float
    y: float
    purpose: str
    every: bool = False

    @property
    def pixel(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """Where it is in the picture, and the picture's size."""
        width, height = self.job.size
        return (self.x, self.y), (float(width), float(height))


class _SupersededError(Exception):
    """A newer picture is wanted."""


class Drawer(QObject):
    """drawn(image, job, copies shown by stand-ins), probed(probe, hit or None) and failed(text) come from the drawing thread."""

    drawn = pyqtSignal(object, object, int)
    probed = pyqtSignal(object, object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wake = threading.Condition()
        self._job: Job | None = None
        self._probes: dict[object, Probe] = {}
        self._stopping = False
        # For how many triangles of copies the last whole picture in motion took too long.
        self._slow_at = -1
        self._triangles = _TRIANGLES[1] // 20
        self._thread = threading.Thread(target=self._run, name="estompe-draw", daemon=True)
        self._thread.start()

    def draw(self, job: Job) -> None:
        """Ask for a picture; one that still waits is forgotten."""
        with self._wake:
            self._job = job
            self._wake.notify()

    def probe(self, probe: Probe) -> None:
        """Ask what lies under a pixel; an older question with the same purpose is forgotten."""
        with self._wake:
            self._probes[id(probe) if probe.every else probe.purpose] = probe
            self._wake.notify()

    def stop(self) -> None:
        """End the thread."""
        with self._wake:
            self._stopping = True
            self._wake.notify()
        self._thread.join(_PATIENCE)

    def _run(self) -> None:
        renderer = self._begun()
        resting: Job | None = None
        while renderer is not None:
            job, probes = self._next(_REST if resting is not None else None)
            if self._stopping:
                renderer.release()
                return
            for probe in probes:
                self._guarded("Finding what lies at the pointer", self._pick, renderer, probe)
            if job is not None:
                self._guarded("Drawing the view", self._draw, renderer, job)
                resting = job
            elif resting is not None and not probes:
                still = replace(resting, look=replace(resting.look, still=True))
                resting = None
                self._guarded("Drawing the view", self._draw, renderer, still)

    def _begun(self) -> Renderer | None:
        try:
            return Renderer()
        except RenderError as error:
            self.failed.emit(str(error))
        except Exception as error:  # drivers fail in many ways
            self.failed.emit(faults.record(error, "Starting to draw"))
        return None

    def _guarded(self, where: str, do: Callable[..., None], *arguments: object) -> None:
        """Whatever goes wrong with one picture, the next must find the thread alive."""
        try:
            do(*arguments)
        except _SupersededError:
            return
        except RenderError as error:
            self.failed.emit(str(error))
        except Exception as error:
            self.failed.emit(faults.record(error, where))

    def _give_way(self) -> None:
        """Leave a still picture unfinished once a newer one is wanted. Those in motion are finished, or none would be seen."""
        if self._job is not None or self._stopping:
            raise _SupersededError

    def _next(self, patience: float | None) -> tuple[Job | None, list[Probe]]:
        with self._wake:
            if self._job is None and not self._probes and not self._stopping:
                self._wake.wait(patience)
            job, self._job = self._job, None
            probes = list(self._probes.values())
            self._probes.clear()
            return job, probes

    def _pick(self, renderer: Renderer, probe: Probe) -> None:
        hit = renderer.pick(probe.job.items, probe.job.viewpoint, probe.job.size, probe.x, probe.y)
        self.probed.emit(probe, hit)

    def _draw(self, renderer: Renderer, job: Job) -> None:
        moving, copied = not job.look.still, _copied_triangles(job)
        simple = moving and copied > 0 and self._slow_at == copied
        look = replace(job.look, stand_ins=self._triangles if simple else 0)
        began = time.monotonic()
        picture = renderer.draw(job.items, job.viewpoint, look, job.size, None if moving else self._give_way)
        took = time.monotonic() - began
        if simple:
            # As much is drawn as the machine can follow with.
            self._triangles = int(np.clip(self._triangles * np.clip(_SWIFT / took, 0.5, 1.5), *_TRIANGLES))
        elif moving:
            # As long as there is so much to draw, what moves is simplified; a still picture shows everything.
            self._slow_at = copied if took > _SLOW else -1
        height, width = picture.shape[:2]
        image = QImage(picture.data, width, height, width * 4, QImage.Format.Format_RGBX8888).copy()
        self.drawn.emit(image, job, renderer.stood_in)


def _copied_triangles(job: Job) -> int:
    return sum(item.geometry.total_triangles for item in job.items if item.geometry.copies_shown)
