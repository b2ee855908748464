"""Make the pictures in docs/screenshots and of the samples: the real window, driven off screen, on the sample data."""
# ruff: noqa: E402 - the platform is chosen before Qt is imported

import os
import sys
import tempfile
import time
from collections.abc import Callable
from io import BytesIO
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_STATE = tempfile.TemporaryDirectory()
os.environ["XDG_CONFIG_HOME"] = os.environ["XDG_STATE_HOME"] = os.environ["XDG_CACHE_HOME"] = _STATE.name

from PIL import Image
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

import estompe.samples
from estompe.app.preferences import Preferences
from estompe.app.sheets.land_sheet import CoursePlot
from estompe.app.sheets.shot_sheet import ShotSheet
from estompe.app.window import Window
from estompe.document import Project, Scene
from estompe.evaluation import evaluate
from estompe.render.picture import camera_picture
from estompe.samples import SAMPLES, storm_crossing
from estompe.setups.catalog import entry

ROOT = Path(__file__).resolve().parents[1]
SHOTS = ROOT / "docs" / "screenshots"
PICTURES = Path(estompe.samples.__file__).parent


class Studio:
    """One window and what is needed to photograph it."""

    def __init__(self) -> None:
        self.app = QApplication.instance() or QApplication(["estompe"])
        self.window = Window(Preferences(theme="paper"))
        self.window.resize(1280, 800)
        self.window.show()

    def open(self, name: str, frame: int) -> None:
        """Open a sample on a frame."""
        self.window.session.begin(estompe.samples.sample(name).build(), None, estompe.samples.sample(name).title)
        self.window.session.playhead.go(frame)

    def settle(self, all_frames: bool = False) -> None:
        """Wait for the answer, the still picture and, if wanted, for all frames to be ready."""
        session, view = self.window.session, self.window.view
        end = time.monotonic() + 180
        while time.monotonic() < end:
            QTest.qWait(60)
            answer = session.evaluator.answer
            there = answer is not None and answer.request.project.scene is session.document.scene
            there = there and answer.request.frame == session.playhead.frame and answer.request.rough == 1.0
            # A sheet that stands in place of the view leaves it undrawn.
            there = there and (view.is_still or not view.isVisible())
            count = session.document.scene.last - session.document.scene.first + 1
            if there and (not all_frames or len(session.evaluator.worker.ready_frames()) >= count):
                QTest.qWait(300)
                return
        raise TimeoutError("the window did not come to rest")

    def choose(self, shape: str, layer: tuple[str, str], effect: str, mode: str) -> None:
        """Choose a shape and a layer of a falloff, open an effect's card, and wait for all frames in one way of showing."""
        session = self.window.session
        session.selection.choose_shape(shape)
        session.selection.choose_falloff(*layer)
        self.window.drive.open_card(effect)
        self.window.run(f"mode_{mode}")
        self.settle(all_frames=True)

    def point_at(self, x: float, y: float) -> None:
        """Move the pointer over the view, at fractions of its width and height."""
        view = self.window.view
        at = QPointF(view.width() * x, view.height() * y)
        none, keys = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(view, QMouseEvent(QEvent.Type.MouseMove, at, view.mapToGlobal(at), none, none, keys))
        QTest.qWait(400)

    def take(self, name: str, folder: Path = SHOTS, over: QWidget | None = None) -> None:
        """Save a picture of the window, with a popup over it if one is given, with few colours so that it stays small."""
        QTest.qWait(50)
        path = folder / f"{name}.png"
        picture = self.window.grab()
        if over is not None:
            painter = QPainter(picture)
            painter.drawPixmap(self.window.mapFromGlobal(over.pos()), over.grab())
            painter.end()
        picture.save(str(path))
        image = Image.open(BytesIO(path.read_bytes())).convert("RGB")
        image.quantize(256, dither=Image.Dither.NONE).save(path, optimize=True)


def start(studio: Studio) -> None:
    studio.window.sheets.show_start()
    QTest.qWait(200)
    studio.take("start")


def strength(studio: Studio) -> None:
    studio.open("lantern-amphora", 62)
    studio.settle(all_frames=True)
    studio.point_at(0.52, 0.55)
    studio.take("strength")


def set_up(studio: Studio) -> None:
    """A sphere that was just imported, after the quick set-up."""
    session = studio.window.session
    session.begin(Project(Scene()), None, "untitled")
    studio.window.add_entry(entry("shape:sphere"))
    studio.settle()
    studio.window.run("push_near")
    studio.settle()
    studio.window.run("fit")
    studio.settle(all_frames=True)
    studio.take("path-set-up")


def keys(studio: Studio) -> None:
    """Two keys on its control."""
    session = studio.window.session
    studio.window.run("key_picked")
    session.playhead.go(96)
    control = session.selection.picked
    session.numbers.set_numbers(
        [((*control, "transform", "position", axis), value) for axis, value in enumerate((-0.7, 0.1, 0.5))], "Move"
    )
    session.playhead.go(40)
    studio.settle(all_frames=True)
    studio.take("path-keys")


def charcoal(studio: Studio) -> None:
    studio.window.run("theme_charcoal")
    studio.window.run("mode_strength")
    studio.settle()
    studio.take("charcoal")
    studio.window.run("theme_paper")


def routing(studio: Studio) -> None:
    studio.open("pennants-gull", 58)
    studio.settle()
    studio.window.run("routing")
    QTest.qWait(300)
    studio.take("routing")
    studio.window.run("routing")


def table(studio: Studio) -> None:
    studio.open("buoy-fender", 64)
    studio.window.drive.open_card("press")
    studio.settle()
    studio.window.run("table")
    sheet = studio.window.sheets.currentWidget()
    sheet.condition.setText("strength > 0.5 and x > 0")
    QTest.qWait(300)
    studio.take("table")
    studio.window.run("table")


def curves(studio: Studio) -> None:
    studio.open("octopus-arm", 36)
    studio.window.drive.open_card("chain")
    studio.window.run("curves")
    studio.window.run("mode_shaded")
    studio.settle(all_frames=True)
    studio.take("curves")
    studio.window.run("curves")


def painted(studio: Studio) -> None:
    """A few strokes on the moon."""
    studio.open("moon-swell", 60)
    studio.window.run("mode_strength")
    studio.window.run("add_falloff")
    studio.window.run("brush")
    studio.window.session.painting.set_brush(radius=0.22, amount=0.8)
    studio.settle()
    for x, y in ((0.45, 0.4), (0.5, 0.42), (0.55, 0.47), (0.52, 0.6), (0.46, 0.62)):
        view = studio.window.view
        at = QPoint(round(view.width() * x), round(view.height() * y))
        QTest.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        QTest.qWait(250)
    studio.settle()
    studio.take("painted")
    studio.window.session.painting.take(None)


def palette(studio: Studio) -> None:
    studio.open("lantern-amphora", 62)
    studio.window.run("mode_strength")
    studio.settle()
    studio.window.add("effect")
    shown = studio.window.palette_shown
    shown.move(studio.window.mapToGlobal(QPoint(380, 120)))
    QTest.qWait(200)
    studio.take("palette", over=shown)
    shown.close()


def overlaps(studio: Studio) -> None:
    """The buoy in its fender, whose press is switched off."""
    studio.open("buoy-fender", 64)
    session = studio.window.session
    fender = next(shape for shape in session.document.scene.shapes if shape.effects)
    session.document.put(("shapes", fender.id, "effects", "press", "enabled"), False, "Off")
    studio.window.run("mode_shaded")
    studio.window.run("overlaps")
    studio.settle(all_frames=True)
    for frame in range(56, 73):
        session.playhead.go(frame)
        studio.settle()
    session.playhead.go(64)
    studio.settle()
    studio.take("overlaps")
    studio.window.run("overlaps")


def copies(studio: Studio) -> None:
    """Tiles that turn, each with one strength, and the card of what turns them."""
    studio.open("wall-tiles", 72)
    studio.choose("wall", ("passing", "pass"), "turn", "strength")
    studio.point_at(0.55, 0.36)
    studio.take("copies")


def pieces(studio: Studio) -> None:
    """A colour for each shard."""
    studio.open("amphora-shards", 66)
    studio.choose("amphora", ("under-tide", "rising"), "cut", "pieces")
    studio.take("pieces")


def remembered(studio: Studio) -> None:
    """Stones that are let go: their card says what it remembers, Time which frames are kept, and a sphere where they are."""
    studio.open("harbour-wall", 60)
    studio.choose("wall", ("front", "front-near"), "loose", "shaded")
    studio.take("remembered")


def volumes(studio: Studio) -> None:
    """A sponge that has grown, what its card says, and a slice through it."""
    studio.open("sponge", 66)
    session = studio.window.session
    studio.choose("sponge", ("pace", "cells"), "grow", "shaded")
    studio.window.run("slice")
    session.slices.move(0.62)
    end = time.monotonic() + 30
    while (session.slices.found is None or session.slices.found.share < 0.6) and time.monotonic() < end:
        QTest.qWait(100)
    QTest.qWait(300)
    studio.take("volumes")
    for _ in range(3):
        studio.window.run("slice")


def _with_recipe(studio: Studio, tag: str) -> None:
    """A sphere with a recipe."""
    studio.window.session.begin(Project(Scene()), None, "untitled")
    studio.window.add_entry(entry("shape:sphere"))
    studio.settle()
    studio.window.add_entry(entry(f"recipe:{tag}"))
    studio.settle()


def land(studio: Studio) -> None:
    """Ways to make half of a mask arrive on a frame."""
    _with_recipe(studio, "leave-trail")
    studio.window.run("land")
    sheet = studio.window.sheets.sheet
    sheet.share.setValue(8)
    sheet.frame.setValue(96)
    sheet.look()
    end = time.monotonic() + 60
    while len(sheet.findChildren(CoursePlot)) < 2 and time.monotonic() < end:
        QTest.qWait(100)
    studio.settle(all_frames=True)
    studio.take("land")


def shot(studio: Studio) -> None:
    """The tree of a shot that is about to be imported."""
    window = studio.window
    window.session.begin(Project(Scene()), None, "untitled")
    window.files.open_shot(storm_crossing.STAGE, window.sheets.show_shot)
    end = time.monotonic() + 30
    while not isinstance(window.sheets.currentWidget(), ShotSheet) and time.monotonic() < end:
        QTest.qWait(100)
    QTest.qWait(300)
    studio.take("shot")
    window.sheets.show_view()


def _crossing(studio: Studio) -> None:
    """The sample that is a shot, seen through its camera."""
    studio.open("storm-crossing", 60)
    studio.window.view.look_through_camera(True)
    studio.choose("sea", ("wash", "near-boat"), "foam", "shaded")


def _idle(studio: Studio) -> None:
    end = time.monotonic() + 60
    while studio.window.work.running and time.monotonic() < end:
        QTest.qWait(100)
    QTest.qWait(300)


def variants(studio: Studio) -> None:
    """Two variants beside the scene, and what differs in one."""
    _crossing(studio)
    document, kept = studio.window.session.document, studio.window.session.variants
    kept.keep("Calm")
    document.put(("shapes", "sail", "effects", "flutter", "effect", "amount"), 0.12, "Gusts")
    document.put(("falloffs", "wash", "range", "gone"), 3.0, "Wider")
    kept.keep("Gusty")
    document.put(("shapes", "buoys", "effects", "swell-up", "effect", "scale"), (2.2, 2.2, 2.2), "Larger")
    document.put(("falloffs", "wash", "range", "gone"), 1.6, "Narrower")
    studio.settle()
    studio.window.run("variants")
    _idle(studio)
    studio.window.sheets.currentWidget().show_about("Gusty")
    QTest.qWait(200)
    studio.take("variants")
    studio.window.run("variants")


def output(studio: Studio) -> None:
    """Pictures with layers, about to be written."""
    _crossing(studio)
    studio.window.run("output")
    sheet = studio.window.sheets.currentWidget()
    sheet.target.setText("~/shots/storm-crossing.####.exr")
    for name in ("depth", "normal", "strength:Wash"):
        sheet.layers[name].setChecked(True)
    QTest.qWait(200)
    studio.take("output")
    studio.window.run("output")


SHOTS_IN_ORDER: tuple[Callable[[Studio], None], ...] = (
    start, strength, charcoal, set_up, keys, routing, table, curves, painted, palette, copies, pieces,
    remembered, volumes, land, shot, variants, output, overlaps,
)  # fmt: skip


def sample_pictures() -> None:
    """The small pictures of the start sheet."""
    for item in SAMPLES:
        project = item.build()
        frame = evaluate(project, item.picture_frame)
        picture = camera_picture(frame, (480, 320))
        image = Image.fromarray(picture[..., :3]).resize((240, 160), Image.Resampling.LANCZOS)
        image.quantize(128).save(PICTURES / f"{item.name}.png", optimize=True)


def main(names: list[str]) -> None:
    """All pictures, or only those named."""
    SHOTS.mkdir(parents=True, exist_ok=True)
    if not names or "samples" in names:
        sample_pictures()
    studio = Studio()
    for shot in SHOTS_IN_ORDER:
        if not names or shot.__name__ in names:
            shot(studio)
    studio.window.session.document.saved_as(Path("x"), studio.window.session.document.scene)
    studio.window.close()


if __name__ == "__main__":
    main(sys.argv[1:])
