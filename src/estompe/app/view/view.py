"""The view: the picture of the scene and what is drawn over it."""

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from estompe.app import icons
from estompe.app.session import Session
from estompe.app.view import overlay
from estompe.app.view.aids import Aids, grid_spacing
from estompe.app.view.bar import Bar
from estompe.app.view.chains import Chain, chains_of
from estompe.app.view.drawing import Drawer, Job
from estompe.app.view.handles import Handles, HandleTool
from estompe.app.view.over import paint_over
from estompe.app.view.picking import Picking
from estompe.app.view.pointer import Pointer
from estompe.app.view.probe import Reading
from estompe.app.view.shells import Shell, shells_of
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Camera, EffectSlot, Transform
from estompe.document.transforms import base_of, matrix_of, rotation_in
from estompe.kernels.transform import transformed
from estompe.kinds.numbers import plain_triple
from estompe.render import Item, Look, Viewpoint
from estompe.render.item import Mode, Picture
from estompe.render.palette import rgb
from estompe.render.picture import items_of, with_falloff
from estompe.render.view_transform import LARGEST_EXPOSURE, PLAIN, ViewError, ViewTransform, shown
from estompe.setups.shot import look_through


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
        self.tool: HandleTool = "move"
        self.orbits_left = True
        self.marks_coarse = False
        self.wipe_at: float | None = None
        self._reference: QImage | None = None
        self.box: tuple[QPointF, QPointF] | None = None
        self.aids = Aids()
        self.measured: list[np.ndarray] | None = None
        self.snaps = self.onto_surface = False
        self.dropped_at: np.ndarray | None = None
        self.through_camera = False
        self.free = Viewpoint((2.6, 1.9, 4.6), (0.0, 0.5, 0.0))
        self.reading: Reading | None = None
        self.stood_in = 0
        self._image: QImage | None = None
        self._still = False
        self._asked: Job | None = None
        self._items: list[Item] = []
        self._all_items: list[Item] = []
        self.setMinimumSize(320, 240)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("View")
        self.pointer = Pointer(self)
        self.picking = Picking(self)
        self.shown_as = PLAIN
        self.bar = Bar(self, self)
        self.bar.show_mode(self.mode)
        self.bar.show_camera()
        self.bar.show_display()
        self._wanted = QTimer(self, singleShot=True, interval=0)
        self._wanted.timeout.connect(self._draw)
        self.drawer.drawn.connect(self._show)
        self.drawer.failed.connect(lambda text: session.messages.say(text, "error"))
        session.evaluator.answered.connect(self._answered)
        session.document.scene_changed.connect(lambda *_: self.redraw())
        session.selection.changed.connect(self._selection_changed)
        session.playhead.changed.connect(self.update)
        session.document.project_changed.connect(self._new_project)
        session.painting.changed.connect(self.update)
        session.overlaps.changed.connect(self.update)
        session.past.changed.connect(self.update)
        session.fronts.changed.connect(self.update)
        session.slices.changed.connect(self.update)

    # What is shown

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the picture is taken from now."""
        if self.through_camera:
            return Viewpoint.of_camera(self.session.numbers.placed.camera)
        return self.free

    @property
    def extent(self) -> tuple[float, float]:
        """Width and height in the pointer's pixels."""
        return float(max(1, self.width())), float(max(1, self.height()))

    def set_mode(self, mode: Mode) -> None:
        """Shaded, strength or wire."""
        self.mode = mode
        self.bar.show_mode(mode)
        self.redraw()

    def show_as(self, view: ViewTransform) -> None:
        """Show light by another view, exposure or gamma; files that are written are not changed by it."""
        try:
            shown(np.zeros((1, 3), np.float32), view)
        except ViewError as error:
            self.session.messages.say(str(error), "error")
            return
        bound = LARGEST_EXPOSURE
        self.shown_as = view._replace(exposure=min(max(view.exposure, -bound), bound))
        self.bar.show_display()
        self.redraw()

    def mark_coarse(self, on: bool) -> None:
        """Mark the edges between which the current falloff's ramp falls too far."""
        self.marks_coarse = on
        self.update()

    @property
    def has_reference(self) -> bool:
        """Whether a picture is kept to compare with."""
        return self._reference is not None

    def picture(self) -> QImage | None:
        """The picture as it is now, without what is drawn over it."""
        return self._image

    def take_reference(self) -> None:
        """Keep the picture as it is now."""
        self._reference = self._image

    def wipe_with(self, picture: Picture) -> None:
        """Take a picture as the kept one, and wipe between it and the present."""
        height, width = picture.shape[:2]
        self._reference = QImage(picture.tobytes(), width, height, width * 4, QImage.Format.Format_RGBX8888).copy()
        self.wipe_at = self.width() / 2
        self.update()

    def pixel_size(self) -> tuple[int, int]:
        """Width and height of the picture, in pixels of the screen."""
        ratio = self.devicePixelRatioF()
        return max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio))

    def toggle_wipe(self) -> bool:
        """Show the kept picture left of a line, or no more. False where none is kept."""
        if self._reference is None:
            return False
        self.wipe_at = None if self.wipe_at is not None else self.width() / 2
        self.update()
        return True

    def set_tool(self, tool: HandleTool) -> None:
        """What the handles do: move, rotate or scale."""
        self.tool = tool
        self.update()

    def look_through_camera(self, on: bool) -> None:
        """Look through the scene's camera, or freely from where the view is now."""
        if not on and self.through_camera:
            self.free = self.viewpoint.upright()
        self.through_camera = on
        self.bar.show_camera()
        self.redraw()

    def fit(self) -> None:
        """See all that is picked, or everything that is shown."""
        answer = self.session.evaluator.answer
        if answer is None or not answer.frame.scene.shapes:
            return
        shown = [item for item in self._items if ("shapes", item.id) in self.session.selection.there] or self._items
        bounds = [item.geometry.bounds for item in shown]
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
        answer = self.session.evaluator.answer
        if answer is None:
            return  # another scene was opened meanwhile
        shown = answer.shown
        items = items_of(answer.frame)
        self._all_items = [with_falloff(item, shown[item.id]) if item.id in shown else item for item in items]
        self._take_items()
        if not self.pointer.dragging and self.pointer.at is not None:
            self.ask(self.pointer.at, "value")
        self.redraw()

    def _take_items(self) -> None:
        """Draw the shapes that are not left out by isolating others."""
        only = self.session.selection.isolated
        self._items = self._all_items if only is None else [item for item in self._all_items if item.id in only]

    def _selection_changed(self) -> None:
        self._take_items()
        self.redraw()

    def job(self) -> Job:
        """The picture that is wanted now."""
        ratio = self.devicePixelRatioF()
        width, height = self.extent
        red, green, blue = rgb(icons.current_theme().view)
        aids = self.aids.of_look(self.viewpoint, height, self.mode, not self.through_camera)
        look = Look(self.mode, (red / 255, green / 255, blue / 255), still=False, view=self.shown_as, **aids)
        return Job(
            self._items,
            self.viewpoint,
            look,
            (round(width * ratio), round(height * ratio)),
            self.session.playhead.frame,
        )

    @property
    def grid_spacing(self) -> float:
        """Between lines of the grid, scene units."""
        return grid_spacing(self.viewpoint, self.extent[1])

    def measure(self) -> None:
        """Measure between two places that are clicked, or no more."""
        self.measured = [] if self.measured is None else None
        if self.measured is not None:
            self.session.messages.say("click two places on shapes or controls; Shift+M ends measuring")
        self.update()

    def measure_to(self, place: np.ndarray) -> None:
        """Measure to one place more; the third one begins anew."""
        if self.measured is not None:
            self.measured = [*self.measured, place] if len(self.measured) < 2 else [place]
            self.update()

    def look_along(self, direction: tuple[float, float, float]) -> None:
        """Look freely along a direction of the world, with parallel rays."""
        self.navigate(self.viewpoint.upright().looking(direction).with_parallel(True))
        self.bar.show_camera()

    def toggle_parallel(self) -> None:
        """Look with parallel rays, or in perspective."""
        self.navigate(self.viewpoint.upright().with_parallel(not self.viewpoint.parallel))
        self.bar.show_camera()

    def pick_in_box(self, begin: QPointF, end: QPointF) -> None:
        """Pick what has its middle in a box of the picture, besides what is picked."""
        area = QRectF(begin, end).normalized()
        scene, selection = self.session.numbers.placed, self.session.selection
        places: dict[ScenePath, np.ndarray] = {
            ("controls", item.id): matrix_of(item.transform)[:, 3]
            for item in scene.controls
            if item.visible and not item.listing.locked
        }
        locked = {shape.id for shape in scene.shapes if shape.listing.locked}
        for item in self._items:
            if item.id not in locked:
                places["shapes", item.id] = np.mean(item.geometry.bounds, axis=0).astype(np.float64)
        pixels, before = self.viewpoint.project(np.array(list(places.values())).reshape(-1, 3), *self.extent)
        inside = [
            path
            for path, (x, y), seen in zip(places, pixels, before, strict=True)
            if seen and area.contains(QPointF(float(x), float(y)))
        ]
        if inside:
            selection.choose_several([*(path for path in selection.there if len(path) == 2), *inside])

    def _draw(self) -> None:
        if self.isVisible():
            self._asked = self.job()
            self.drawer.draw(self._asked)

    def _show(self, image: QImage, job: Job, stood_in: int) -> None:
        self._image, self.stood_in = image, stood_in
        self._still = job.look.still and self._asked is not None and job.shows_the_same(self._asked)
        self.update()
        self.painted.emit()

    def _new_project(self) -> None:
        self._items, self._all_items = [], []
        self._reference, self.wipe_at = None, None
        self.set_reading(None)
        self.bar.show_camera()
        self.redraw()

    # Cameras

    def choose_camera(self, name: str) -> None:
        """Look through another of the scene's cameras; pictures are then taken through it, too."""
        scene = look_through(self.session.document.scene, name)
        self.session.document.commit(scene, f"Look through {name}")
        self.look_through_camera(True)

    def place_camera(self) -> None:
        """Give the scene's camera the present viewpoint."""
        view = self.viewpoint
        name = self.session.document.scene.camera.name
        camera = Camera(name, _rounded(view.eye), _rounded(view.target), view.view_angle)
        self.session.document.put(("camera",), camera, f"Place {name}")

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
        if self.session.document.started:
            paint_over(painter, self)
        if self.wipe_at is not None and self._reference is not None:
            overlay.paint_wipe(painter, t, self.extent, self._reference, self.wipe_at)

    def shells(self) -> list[Shell]:
        """The shells of the current falloff."""
        falloff = self.session.selection.falloff
        if falloff is None:
            return []
        answer = self.session.evaluator.answer
        shown = answer.current if answer is not None else None
        values = shown.values if shown is not None and shown.falloff.id == falloff.id else None
        return shells_of(self.session.numbers.placed, falloff.id, values)

    def handles(self) -> Handles | None:
        """The handles on what is picked."""
        picked = self.session.selection.picked
        scene = self.session.document.scene
        if picked[:1] not in (("controls",), ("shapes",)) or not edits.exists(scene, picked):
            return None
        if edits.get(scene, picked[:2]).listing.locked:
            return None
        item = edits.get(self.session.numbers.placed, picked)
        if self.session.selection.picked_joint is not None:
            chain = next((chain for chain in self.chains() if chain.path == picked[:-1]), None)
            if chain is None or item.id not in chain.joints:
                return None
            position, within = chain.joints[item.id]
            x, y, z = position.tolist()
            return Handles("rotate", Transform((x, y, z), item.rotation), self.viewpoint, self.extent, within)
        if isinstance(item, EffectSlot):
            return self._pivot_handles(item, picked)
        base, transform = base_of(item.transform), item.transform
        if base is None:
            return Handles(self.tool, transform, self.viewpoint, self.extent)
        x, y, z = matrix_of(transform)[:, 3].tolist()
        # What follows something is moved and turned within it.
        within = rotation_in(base)
        here = Transform((x, y, z), transform.rotation, transform.scale)
        return Handles(self.tool, here, self.viewpoint, self.extent, within)

    def _pivot_handles(self, slot: EffectSlot, path: ScenePath) -> Handles | None:
        """Move handles on the pivot of an effect that has one; the pivot is in local space."""
        if not slot.effect.pivot_setting:
            return None
        pivot = plain_triple(getattr(slot.effect, slot.effect.pivot_setting))
        transform = edits.get(self.session.numbers.placed, path[:2]).transform
        x, y, z = transformed(np.array([pivot], np.float32), matrix_of(transform))[0].tolist()
        return Handles("move", Transform((x, y, z), transform.rotation), self.viewpoint, self.extent)

    def chains(self) -> list[Chain]:
        """The joint chains of the current shape."""
        shape = self.session.selection.shape_id
        if shape is None or not edits.exists(self.session.numbers.placed, ("shapes", shape)):
            return []
        return chains_of(edits.get(self.session.numbers.placed, ("shapes", shape)))

    def ask(self, at: QPointF, purpose: str) -> None:
        """Ask what lies under a pixel: for its "value", to "choose" it, "paint" there or pull a "contour"."""
        self.picking.ask(at, purpose)

    # Events

    def mousePressEvent(self, event) -> None:
        self.setFocus()
        self.pointer.press(event)

    def mouseMoveEvent(self, event) -> None:
        self.pointer.move(event)
        if not self.pointer.dragging:
            hand = Qt.CursorShape.PointingHandCursor if self.pointer.can_take_hold else Qt.CursorShape.ArrowCursor
            self.setCursor(hand)

    def mouseReleaseEvent(self, event) -> None:
        self.pointer.release(event)

    def wheelEvent(self, event) -> None:
        self.navigate(self.viewpoint.zoomed(0.9 ** (event.angleDelta().y() / 120.0)))

    def leaveEvent(self, event) -> None:
        del event
        self.pointer.leave()
        self.set_reading(None)

    def navigate(self, viewpoint: Viewpoint) -> None:
        """Look from elsewhere; this leaves the camera, and its film."""
        self.free = viewpoint.upright()
        if self.through_camera:
            self.through_camera = False
        self.bar.show_camera()
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
