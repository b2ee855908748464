"""Stored poses and how much of each."""

from pathlib import Path as FilePath

import numpy as np
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from estompe.app import units
from estompe.app.fields.rows import PartsField
from estompe.app.widgets.fields import field, field_for, rule_of
from estompe.app.widgets.labels import icon_button, label, link
from estompe.document import edits
from estompe.document.edits import fresh_id
from estompe.document.project import blob_name
from estompe.effects.poses import Pose
from estompe.evaluate.asking import matrix_of
from estompe.exchange import endings
from estompe.geometry import frozen
from estompe.geometry.placement import inverse
from estompe.kernels.transform import transformed


@field_for("poses")
class PosesField(PartsField):
    """The poses by name; new ones come from the shape as it stands or from a mesh file."""

    def widgets(self) -> list[QWidget]:
        rows: list[QWidget] = [self._pose(pose) for pose in self.parts]
        if not rows:
            rows.append(label("No poses are stored yet.", "soft"))
        store = link("Store the shape as it is now", "What all effects make of it on this frame becomes a pose")
        store.clicked.connect(self.store)
        bring = link("Bring in a pose from a mesh…", "A file with the same points in the same order")
        bring.clicked.connect(self._ask)
        return [*rows, store, bring]

    def _pose(self, pose: Pose) -> QWidget:
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(4, 0, 0, 0)
        row.addWidget(label(pose.name), 1)
        amount = field(self.session, (*self.path, pose.id, "amount"), rule_of(Pose, "amount"))
        self.fields.append(amount)
        row.addWidget(amount, 2)
        remove = icon_button("remove", f"Remove {pose.name}")
        remove.clicked.connect(
            lambda: self.session.commit(
                edits.remove(self.session.scene, (*self.path, pose.id)), f"Remove pose {pose.name}"
            )
        )
        row.addWidget(remove)
        return made

    def store(self) -> None:
        """Keep the shape as it stands now as a pose without amount."""
        answer = self.session.answer
        if answer is None:
            return
        mesh, placement = answer.frame[self.shape], answer.frame.shape(self.shape).placement
        if len(mesh.points) != len(answer.frame[self.shape].rest):
            self.session.said.emit("an effect changes how many points there are: store before it", "error")
            return
        matrix = matrix_of(placement)
        self.add(transformed(mesh.points, inverse(matrix)), f"Pose {len(self.parts) + 1}")

    def add(self, places: np.ndarray, name: str) -> None:
        """Add a pose of these places, float32 (points, 3), in the shape's own space."""
        kept = frozen(np.ascontiguousarray(places, np.float32))
        blob = blob_name(kept)
        self.session.add_blobs({blob: kept})
        pose = Pose(fresh_id(self.session.scene, "pose"), name[:200], blob)
        self.session.commit(edits.insert(self.session.scene, self.path, pose), f"Store {name}")

    def _ask(self) -> None:
        pattern = f"Meshes ({' '.join(f'*{ending}' for ending in endings())})"
        name, _ = QFileDialog.getOpenFileName(self, "Bring in a pose", "", pattern)
        if name:
            self.bring(FilePath(name))

    def bring(self, path: FilePath) -> None:
        """Read a mesh file, away from the window's thread, and add its points as a pose if they fit."""
        self.session.mesh_wanted.emit(path, lambda mesh: self._brought(mesh.points, path))

    def _brought(self, places: np.ndarray, path: FilePath) -> None:
        answer = self.session.answer
        wanted = len(answer.frame[self.shape].rest) if answer is not None else 0
        if len(places) != wanted:
            has, needs = units.counted(len(places)), units.counted(wanted)
            text = f"{path.name} has {has} points and the shape {needs}: a pose needs the same points"
            self.session.said.emit(text, "error")
            return
        self.add(places, path.stem)
