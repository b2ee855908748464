"""Stored poses and how much of each."""

from pathlib import Path as FilePath

import numpy as np
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QWidget

from estompe.app import units
from estompe.app.fields.rows import PartsField
from estompe.app.files import mesh_pattern
from estompe.app.widgets.fields import field, field_for, rule_of
from estompe.app.widgets.labels import icon_button, label, link
from estompe.document import edits
from estompe.document.edits import fresh_id
from estompe.document.project import asset_name
from estompe.document.transforms import matrix_of
from estompe.effects.poses import Pose
from estompe.geometry import frozen
from estompe.geometry.transforms import inverse
from estompe.kernels.transform import transformed


@field_for("poses")
class PosesField(PartsField):
    """The poses by name; new ones come from the present shape or from a mesh file."""

    def widgets(self) -> list[QWidget]:
        rows: list[QWidget] = [self._pose(pose) for pose in self.parts]
        if not rows:
            rows.append(label("No poses are stored yet.", "soft"))
        store = link("Store the shape as it is now", "What all effects make of it on this frame becomes a pose")
        store.clicked.connect(self.store)
        wanted = link("Import a pose from a mesh…", "A file with the same points in the same order")
        wanted.clicked.connect(self._ask)
        return [*rows, store, wanted]

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
            lambda: self.session.document.commit(
                edits.remove(self.session.document.scene, (*self.path, pose.id)), f"Remove pose {pose.name}"
            )
        )
        row.addWidget(remove)
        return made

    def store(self) -> None:
        """Keep the present shape as a pose without amount."""
        answer = self.session.evaluator.answer
        if answer is None:
            return
        mesh, transform = answer.frame[self.shape], answer.frame.shape(self.shape).transform
        if len(mesh.points) != len(answer.frame[self.shape].rest):
            self.session.messages.say("an effect changes how many points there are: store before it", "error")
            return
        matrix = matrix_of(transform)
        self.add(transformed(mesh.points, inverse(matrix)), f"Pose {len(self.parts) + 1}")

    def add(self, positions: np.ndarray, name: str) -> None:
        """Add a pose of these positions, float32 (points, 3), in the shape's own space."""
        kept = frozen(np.ascontiguousarray(positions, np.float32))
        asset = asset_name(kept)
        self.session.document.add_assets({asset: kept})
        pose = Pose(fresh_id(self.session.document.scene, "pose"), name[:200], asset)
        self.session.document.commit(edits.insert(self.session.document.scene, self.path, pose), f"Store {name}")

    def _ask(self) -> None:
        pattern = f"Meshes ({mesh_pattern()})"
        name, _ = QFileDialog.getOpenFileName(self, "Import a pose", "", pattern)
        if name:
            self.import_pose(FilePath(name))

    def import_pose(self, path: FilePath) -> None:
        """Read a mesh file, away from the window's thread, and add its points as a pose if they fit."""
        self.session.mesh_wanted.emit(path, lambda mesh: self._imported(mesh.points, path))

    def _imported(self, positions: np.ndarray, path: FilePath) -> None:
        answer = self.session.evaluator.answer
        wanted = len(answer.frame[self.shape].rest) if answer is not None else 0
        if len(positions) != wanted:
            has, needs = units.counted(len(positions)), units.counted(wanted)
            text = f"{path.name} has {has} points and the shape {needs}: a pose needs the same points"
            self.session.messages.say(text, "error")
            return
        self.add(positions, path.stem)
