"""Painting masks on the current shape: the brush, what it paints, and carrying a mask over to another mesh."""

from dataclasses import replace
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from estompe.app.model.brush import Brush, touched
from estompe.app.model.document import DocumentModel
from estompe.app.model.evaluator import Evaluator
from estompe.app.model.messages import Messages
from estompe.app.model.selection import Selection
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.project import asset_name
from estompe.document.transforms import matrix_of
from estompe.falloffs.painted import carried_over
from estompe.geometry import Domain, frozen
from estompe.geometry.copies import Copies
from estompe.geometry.samples import Samples, samples_of


class Painting(QObject):
    """Session state outside the history: the brush, and the path of the mask it paints, or None while it is put away."""

    changed = pyqtSignal()

    def __init__(
        self,
        document: DocumentModel,
        selection: Selection,
        evaluator: Evaluator,
        messages: Messages,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._selection, self._evaluator, self._messages = document, selection, evaluator, messages
        self.brush = Brush()
        self.path: ScenePath | None = None

    def take(self, path: ScenePath | None) -> None:
        """Paint the mask at a path from now on, or stop painting."""
        self.path = path
        self.changed.emit()
        if path is not None:
            self._messages.say("paint on the surface; B puts the brush away")

    def set_brush(self, **changes: Any) -> None:
        """Change the brush."""
        self.brush = replace(self.brush, **changes)
        self.changed.emit()

    def touch(self, shape: str, place: NDArray[np.float64]) -> None:
        """Touch the mask with the brush at a place on a shape; touches of one stroke are one step."""
        path = self.path
        if path is None or self._evaluator.answer is None or not edits.exists(self._document.scene, path):
            return
        elements = self._elements(shape)
        mask = self._document.asset(edits.get(self._document.scene, path))
        if mask is None or mask.shape != (len(elements),):
            mask = np.zeros(len(elements), np.float32)
        matrix = matrix_of(self._evaluator.answer.frame.shape(shape).transform)
        self._keep(path, touched(mask, elements, place, self.brush, matrix), elements.rest, "Paint", ("paint", path))

    def _elements(self, shape: str) -> Samples:
        """What a mask has one number for: what the effect that uses the falloff acts on."""
        answer = self._evaluator.answer
        assert answer is not None
        geometry, shown = answer.frame[shape], answer.shown.get(shape)
        plain = Domain.PIECE if isinstance(geometry, Copies) else Domain.POINT
        return samples_of(geometry, plain if shown is None else shown.domain)

    def carry_over(self, path: ScenePath) -> None:
        """Bring a painted mask to the current shape's mesh, by nearest points at rest."""
        source = edits.get(self._document.scene, path[:-1])
        mask, before = self._document.asset(source.mask), self._document.asset(source.rest)
        if mask is None or before is None or self._evaluator.answer is None or self._selection.shape_id is None:
            self._messages.say("there is nothing to carry over: paint again", "error")
            return
        rest = self._elements(self._selection.shape_id).rest
        self._keep(path, carried_over(mask, before, rest), rest, "Carry over")

    def _keep(
        self, path: ScenePath, mask: NDArray[Any], rest: NDArray[Any], words: str, merge_key: object = None
    ) -> None:
        """Put a mask, and where its points are at rest, into the scene."""
        kept, rest_kept = frozen(mask), frozen(rest)
        self._document.add_assets({asset_name(kept): kept, asset_name(rest_kept): rest_kept})
        source = edits.get(self._document.scene, path[:-1])
        changed = structs.replace(source, mask=asset_name(kept), rest=asset_name(rest_kept))
        self._document.put(path[:-1], changed, f"{words} {self._document.name_of(path[:-2])}", merge_key)
