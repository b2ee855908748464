"""The view: the picture of the scene and what is drawn over it."""

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QSizePolicy, QToolButton, QWidget

from estompe.app import icons
from estompe.app.session import Session
from estompe.app.view import overlay
from estompe.app.view.chains import Chain, chains_of
from estompe.app.view.drawing import Drawer, Job
from estompe.app.view.handles import Handles, Tool
from estompe.app.view.pointer import Pointer
from estompe.app.view.probe import Reading
from estompe.app.view.shells import Shell, shells_of
from estompe.document import edits
from estompe.document.edits import Path
from estompe.document.numbers import plain_triple
from estompe.document.scene import Camera, Effect, Placement
from estompe.effects.joints import Joint
from estompe.evaluate.asking import matrix_of
from estompe.kernels.transform import transformed
from estompe.render import Item, Look, Viewpoint
from estompe.render.palette import rgb
from estompe.render.picture import items_of
from estompe.render.renderer import Mode

# Buttons over the picture keep their colours in both themes: the picture's ground is light in both.
_OVER_PICTURE = f"""
QToolButton {{ color: {overlay.INK}; padding: 4px 10px; }}
QToolButton:checked {{ background: #FBF9F4; }}
QToolButton:hover {{ background: rgba(255, 255, 255, 90); }}
QToolButton::menu-indicator {{ image: none; width: 0; }}
"""
MODES: tuple[Mode, ...] = ("shaded", "strength", "wire")


class View(QWidget):
    """Shows the newest answer. probed(reading or None) tells what lies at the pointer."""

    probed = pyqtSignal(object)
    painted = pyqtSignal()
    file_dropped = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.drawer = Drawer(self)
        self.mode: Mode = "strength"
        self.tool: Tool = "move"
        self.marks_coarse = False
        self.wipe_at: float | None = None
        self._reference: QImage | None = None
        self.through_camera = False
        self.free = Viewpoint((2.6, 1.9, 4.6), (0.0, 0.5, 0.0))
        self.reading: Reading | None = None
        self._image: QImage | None = None
        self._still = False
        self._asked: Job | None = None
        self._items: list[Item] = []
        self.setMinimumSize(320, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("View")
        self.pointer = Pointer(self)
        self._build_bar()
        self._wanted = QTimer(self, singleShot=True, interval=0)
        self._wanted.timeout.connect(self._draw)
        self.drawer.drawn.connect(self._show)
        self.drawer.probed.connect(self.pointer.probed)
        self.drawer.failed.connect(lambda text: session.said.emit(text, "error"))
        session.answered.connect(self._answered)
        session.scene_changed.connect(lambda *_: self.redraw())
        session.current_changed.connect(self.redraw)
        session.frame_changed.connect(self.update)
        session.project_changed.connect(self._new_project)
        session.painting.changed.connect(self.update)

    # What is shown

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the picture is taken from now."""
        if self.through_camera:
            return Viewpoint.of_camera(self.session.now.camera)
        return self.free

    @property
    def extent(self) -> tuple[float, float]:
        """Width and height in the pointer's pixels."""
        return float(max(1, self.width())), float(max(1, self.height()))

    def set_mode(self, mode: Mode) -> None:
        """Shaded, strength or wire."""
        self.mode = mode
        self._buttons[mode].setChecked(True)
        self.redraw()

    def mark_coarse(self, on: bool) -> None:
        """Mark the edges between which the current falloff's ramp falls too far."""
        self.marks_coarse = on
        self.update()

    def take_reference(self) -> None:
        """Keep the picture as it is now."""
        self._reference = self._image

    def toggle_wipe(self) -> bool:
        """Show the kept picture left of a line, or no more. False where none is kept."""
        if self._reference is None:
            return False
        self.wipe_at = None if self.wipe_at is not None else self.width() / 2
        self.update()
        return True

    def set_tool(self, tool: Tool) -> None:
        """What the handles do: move, turn or size."""
        self.tool = tool
        self.update()

    def look_through_camera(self, on: bool) -> None:
        """Look through the scene's camera, or freely from where the view is now."""
        if not on and self.through_camera:
            self.free = self.viewpoint
        self.through_camera = on
        self._pull_camera_button()
        self.redraw()

    def fit(self) -> None:
        """See all of the current shape, or of everything."""
        answer = self.session.answer
        if answer is None or not answer.frame.scene.shapes:
            return
        shapes = [shape for shape in answer.frame.scene.shapes if self.session.picked == ("shapes", shape.id)] or [
            shape for shape in answer.frame.scene.shapes if shape.visible
        ]
        bounds = [answer.frame[shape.id].bounds for shape in shapes]
        if not bounds:
            return
        low = np.min([low for low, _ in bounds], axis=0).astype(np.float64)
        high = np.max([high for _, high in bounds], axis=0).astype(np.float64)
        width, height = self.extent
        self.navigate(self.viewpoint.fitted(low, high, width / height))

    def redraw(self) -> None:
        """Have the picture drawn again, once everything at hand has been dealt with."""
        self._asked, self._still = None, False
        self._wanted.start()
        self.update()

    @property
    def is_still(self) -> bool:
        """Whether the picture shown is the final one, drawn with smooth edges."""
        return self._still

    def _answered(self) -> None:
        answer = self.session.answer
        shown = answer.shown
        items = items_of(answer.frame)
        self._items = [
            item._replace(strength=shown[item.id].strength, place=shown[item.id].positions)
            if item.id in shown
            else item
            for item in items
        ]
        self.pointer.ask_again()
        self.redraw()

    def job(self) -> Job:
        """The picture that is wanted now."""
        ratio = self.devicePixelRatioF()
        width, height = self.extent
        red, green, blue = rgb(icons.current_theme().view)
        look = Look(self.mode, (red / 255, green / 255, blue / 255), still=False)
        return Job(self._items, self.viewpoint, look, (round(width * ratio), round(height * ratio)), self.session.frame)

    def _draw(self) -> None:
        if self.isVisible():
            self._asked = self.job()
            self.drawer.draw(self._asked)

    def _show(self, image: QImage, job: Job) -> None:
        self._image = image
        self._still = job.look.still and self._asked is not None and job.shows_the_same(self._asked)
        self.update()
        self.painted.emit()

    def _new_project(self) -> None:
        self._items = []
        self._reference, self.wipe_at = None, None
        self.set_reading(None)
        self._pull_camera_button()
        self.redraw()

    # The bar over the picture

    def _build_bar(self) -> None:
        bar = QHBoxLayout(self)
        bar.setContentsMargins(10, 5, 10, 5)
        bar.setSpacing(2)
        bar.setAlignment(Qt.AlignmentFlag.AlignTop)
        group = QButtonGroup(self)
        self._buttons: dict[str, QToolButton] = {}
        for mode in MODES:
            button = QToolButton()
            button.setText(mode.capitalize())
            button.setCheckable(True)
            button.setStyleSheet(_OVER_PICTURE)
            button.clicked.connect(lambda _, mode=mode: self.set_mode(mode))
            group.addButton(button)
            bar.addWidget(button)
            self._buttons[mode] = button
        self._buttons[self.mode].setChecked(True)
        bar.addStretch(1)
        self.camera_button = QToolButton()
        self.camera_button.setStyleSheet(_OVER_PICTURE)
        self.camera_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.camera_button.setToolTip("Look freely, or through the scene's camera")
        menu = QMenu(self.camera_button)
        menu.addAction("Free view", lambda: self.look_through_camera(False))
        menu.addAction("Through the camera", lambda: self.look_through_camera(True))
        menu.addSeparator()
        menu.addAction("Put the camera here", self.place_camera)
        self.camera_button.setMenu(menu)
        bar.addWidget(self.camera_button)
        self._pull_camera_button()

    def _pull_camera_button(self) -> None:
        name = self.session.scene.camera.name if self.through_camera else "Free view"
        self.camera_button.setText(f"{name} ▾")

    def place_camera(self) -> None:
        """Give the scene's camera the present viewpoint."""
        view = self.viewpoint
        name = self.session.scene.camera.name
        camera = Camera(name, _rounded(view.eye), _rounded(view.target), view.view_angle)
        self.session.put(("camera",), camera, f"Place {name}")

    # Painting over it

    def paintEvent(self, event) -> None:
        del event
        painter = QPainter(self)
        t = icons.current_theme()
        if self._image is None:
            painter.fillRect(self.rect(), QColor(t.view))
        else:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(self.rect(), self._image)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.session.started:
            self._paint_over(painter)
        if self.wipe_at is not None and self._reference is not None:
            overlay.paint_wipe(painter, t, self.extent, self._reference, self.wipe_at)

    def _paint_over(self, painter: QPainter) -> None:
        session, view, size, t = self.session, self.viewpoint, self.extent, icons.current_theme()
        shells = self.shells()
        self._paint_marks(painter)
        for shell in shells:
            hot = self.pointer.is_hot(shell)
            overlay.paint_shell(painter, view, size, shell, hot)
        handles = self.handles()
        if handles is not None:
            overlay.paint_handles(painter, handles, self.pointer.handle_in_use)
        for control in session.now.controls:
            if control.visible:
                overlay.paint_control(painter, view, size, control, session.picked == ("controls", control.id))
        overlay.paint_shell_labels(painter, t, view, size, shells)
        if self.mode == "strength" and session.falloff is not None and session.scene.shapes:
            overlay.paint_legend(painter, t, size, session.falloff.name, session.falloff.signed)
            self._paint_reading(painter)

    def _paint_marks(self, painter: QPainter) -> None:
        """Coarse edges, edges that are pointed out, and paths."""
        answer = self.session.answer
        current = answer.current if answer is not None else None
        if self.marks_coarse and current is not None:
            overlay.paint_edges(
                painter, self.viewpoint, self.extent, current.mesh.points[current.coarse_edges], overlay.OCHRE
            )
        if self.session.marks is not None:
            overlay.paint_edges(painter, self.viewpoint, self.extent, self.session.marks, overlay.CHALK)
        for control in self.session.now.controls:
            if control.visible and control.form == "path" and len(control.points) > 1:
                overlay.paint_path(painter, self.viewpoint, self.extent, control)
        for chain in self.chains():
            line = np.array([place for place, _ in chain.joints.values()])
            overlay.paint_line(painter, self.viewpoint, self.extent, line)
        if self.session.painting.path is not None:
            self.pointer.paint_brush(painter)

    def _paint_reading(self, painter: QPainter) -> None:
        t = icons.current_theme()
        if self.reading is not None:
            strength = f"{self.reading.strength:.2f}".replace("-", "−")
            parts = [("at pointer  ", False), (strength, True), (f"  =  {self.reading.words}", False)]
            overlay.paint_tag(painter, t, QPointF(14, self.height() - 36), parts)

    def shells(self) -> list[Shell]:
        """The shells of the current falloff."""
        falloff = self.session.falloff
        return shells_of(self.session.now, falloff.id) if falloff is not None else []

    def handles(self) -> Handles | None:
        """The handles on what is picked."""
        picked = self.session.picked
        if picked[:1] not in (("controls",), ("shapes",)) or not edits.exists(self.session.scene, picked):
            return None
        item = edits.get(self.session.now, picked)
        if isinstance(item, Joint):
            chain = next(chain for chain in self.chains() if chain.path == picked[:-1])
            place, within = chain.joints[item.id]
            x, y, z = (float(value) for value in place)
            return Handles("turn", Placement((x, y, z), item.turn), self.viewpoint, self.extent, within)
        if isinstance(item, Effect):
            return self._pivot_handles(item, picked)
        return Handles(self.tool, item.placement, self.viewpoint, self.extent)

    def _pivot_handles(self, effect: Effect, path: Path) -> Handles | None:
        """Move handles on the pivot of an effect that has one; the pivot is in the shape's own space."""
        pivot = getattr(effect.settings, "pivot", None)
        if pivot is None:
            return None
        placement = edits.get(self.session.now, path[:2]).placement
        x, y, z = transformed(np.array([plain_triple(pivot)], np.float32), matrix_of(placement))[0].tolist()
        return Handles("move", Placement((x, y, z), placement.turn), self.viewpoint, self.extent)

    def chains(self) -> list[Chain]:
        """The joint chains of the current shape."""
        shape = self.session.shape_id
        if shape is None or not edits.exists(self.session.now, ("shapes", shape)):
            return []
        return chains_of(edits.get(self.session.now, ("shapes", shape)))

    # Events

    def mousePressEvent(self, event) -> None:
        self.setFocus()
        self.pointer.press(event)

    def mouseMoveEvent(self, event) -> None:
        self.pointer.move(event)

    def mouseReleaseEvent(self, event) -> None:
        self.pointer.release(event)

    def wheelEvent(self, event) -> None:
        self.navigate(self.viewpoint.zoomed(0.9 ** (event.angleDelta().y() / 120.0)))

    def leaveEvent(self, event) -> None:
        del event
        self.pointer.leave()

    def navigate(self, viewpoint: Viewpoint) -> None:
        """Look from elsewhere; this leaves the camera."""
        self.free = viewpoint
        if self.through_camera:
            self.through_camera = False
            self._pull_camera_button()
        self.redraw()

    def set_reading(self, reading: Reading | None) -> None:
        """Show what lies at the pointer."""
        self.reading = reading
        self.probed.emit(reading)
        self.update()

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        for url in event.mimeData().urls()[:1]:
            self.file_dropped.emit(url.toLocalFile())

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self.redraw()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.redraw()


def _rounded(place: tuple[float, float, float]) -> tuple[float, float, float]:
    """A place as a person would type it."""
    return round(place[0], 4), round(place[1], 4), round(place[2], 4)
