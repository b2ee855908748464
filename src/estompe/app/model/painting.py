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
from estompe.evaluation.planning.where import nearest_at_rest
from estompe.falloffs.painted import carried_over
from estompe.geometry import frozen
from estompe.geometry.samples import Samples, samples_of
from estompe.geometry.transforms import Matrix
from estompe.kernels.types import Floats


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
        mask = self._mask(path, elements)
        matrix = matrix_of(self._evaluator.answer.frame.shape(shape).transform)
        seen = self._seen_positions(shape, elements, matrix)
        self._keep(
            path, touched(mask, elements, place, self.brush, matrix, seen), elements.rest, "Paint", ("paint", path)
        )

    def _mask(self, path: ScenePath, elements: Samples) -> Floats:
        """What is painted so far, on these elements; what was painted on another mesh is carried over."""
        source = edits.get(self._document.scene, path[:-1])
        mask, rest = self._document.asset(edits.get(self._document.scene, path)), self._document.asset(source.rest)
        if mask is None:
            return np.zeros(len(elements), np.float32)
        if mask.shape == (len(elements),):
            return mask  # type: ignore[no-any-return]
        return np.zeros(len(elements), np.float32) if rest is None else carried_over(mask, rest, elements.rest)

    def _elements(self, shape: str) -> Samples:
        """What a mask has one number for: the elements of the mesh that the falloff drives, whatever comes after."""
        answer = self._evaluator.answer
        assert answer is not None
        geometry, shown = answer.frame[shape], answer.shown.get(shape)
        if shown is None:
            return samples_of(geometry, geometry.own_domain)
        return samples_of(geometry if shown.mesh is shown.measured_mesh else shown.measured_mesh, shown.domain)

    def _seen_positions(self, shape: str, elements: Samples, matrix: Matrix) -> Floats:
        """Where the elements are on the finished shape, float32 (n, 3): infinitely far where that has nothing of them."""
        answer = self._evaluator.answer
        assert answer is not None
        geometry = answer.frame[shape]
        if elements.geometry is geometry or elements.geometry.count(elements.domain) == geometry.count(elements.domain):
            return samples_of(geometry, elements.domain).positions
        seen = samples_of(geometry, elements.domain)
        nearest = nearest_at_rest(geometry, elements.geometry, elements.domain)
        if not len(nearest):
            return np.full((len(elements), 3), np.inf, np.float32)
        positions = seen.positions[nearest].copy()
        away = np.linalg.norm(seen.rest[nearest] - elements.rest, axis=1)
        scale = float(np.linalg.norm(matrix[:, :3], axis=0).max())
        positions[away * scale > self.brush.radius] = np.inf
        return positions

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
