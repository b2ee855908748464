"""Painting masks on the current shape: the brush, what it paints, and carrying a mask over to another mesh."""

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.view.brush import Brush, touched
from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.project import blob_name
from estompe.evaluate.asking import matrix_of
from estompe.falloffs.painted import carried_over
from estompe.geometry import frozen

if TYPE_CHECKING:
    from estompe.app.session import Session


class Painting(QObject):
    """Session state outside the history: the brush, and the path of the mask it paints, or None while it is put away."""

    changed = pyqtSignal()

    def __init__(self, session: "Session") -> None:
        super().__init__(session)
        self._session = session
        self.brush = Brush()
        self.path: Path | None = None

    def take(self, path: Path | None) -> None:
        """Paint the mask at a path from now on, or stop painting."""
        self.path = path
        self.changed.emit()
        if path is not None:
            self._session.said.emit("paint on the surface; B puts the brush away", "")

    def set_brush(self, **changes: Any) -> None:
        """Change the brush."""
        self.brush = replace(self.brush, **changes)
        self.changed.emit()

    def touch(self, shape: str, place: NDArray[np.float64]) -> None:
        """Touch the mask with the brush at a place on a shape; touches of one stroke are one step."""
        session, path = self._session, self.path
        if path is None or session.answer is None or not edits.exists(session.scene, path):
            return
        mesh = session.answer.frame[shape]
        mask = session.blob(edits.get(session.scene, path))
        if mask is None or mask.shape != (len(mesh.points),):
            mask = np.zeros(len(mesh.points), np.float32)
        matrix = matrix_of(session.answer.frame.shape(shape).placement)
        self._keep(path, touched(mask, mesh, place, self.brush, matrix), mesh.rest, "Paint", ("paint", path))

    def carry_over(self, path: Path) -> None:
        """Bring a painted mask to the current shape's mesh, by nearest points at rest."""
        session = self._session
        source = edits.get(session.scene, path[:-1])
        mask, places = session.blob(source.mask), session.blob(source.places)
        if mask is None or places is None or session.answer is None or session.shape_id is None:
            session.said.emit("there is nothing to carry over: paint anew", "error")
            return
        rest = session.answer.frame[session.shape_id].rest
        self._keep(path, carried_over(mask, places, rest), rest, "Carry over")

    def _keep(self, path: Path, mask: NDArray[Any], rest: NDArray[Any], words: str, merge_key: object = None) -> None:
        """Put a mask, and where its points are at rest, into the scene."""
        session = self._session
        kept, places = frozen(mask), frozen(rest)
        session.add_blobs({blob_name(kept): kept, blob_name(places): places})
        source = edits.get(session.scene, path[:-1])
        changed = structs.replace(source, mask=blob_name(kept), places=blob_name(places))
        session.put(path[:-1], changed, f"{words} {session.name_of(path[:-2])}", merge_key)
