"""Time: play, scrub, step, keys on lanes, what is ready, and the fraction past half strength."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from estompe.app import icons
from estompe.app.start import _left_undone
from estompe.app.time import lanes
from estompe.app.time.canvas import _connected, _runs
from estompe.document.scene import Scene
from estompe.evaluation import evaluate
from estompe.evaluation.background import worker
from estompe.evaluation.background.answers import Request
from tests.app.driving import LEFT


def _mark(sample, lane: int, frame: float) -> tuple[float, float]:
    canvas = sample.window.time.canvas
    return canvas.x_of(frame), canvas.y_of(lane)


def _frames(sample) -> list[float]:
    return [key.frame for key in sample.get("controls", "lantern", "transform", "position", 0).keys]


def test_scrubbing_and_stepping(sample):
    canvas = sample.window.time.canvas
    sample.drag(canvas, (canvas.x_of(10), 8), (canvas.x_of(50), 8))
    assert sample.session.playhead.frame == 50
    sample.keys(Qt.Key.Key_Period)
    sample.keys(Qt.Key.Key_Period)
    sample.keys(Qt.Key.Key_Comma)
    assert sample.session.playhead.frame == 51
    sample.drag(canvas, (canvas.x_of(50), 8), (5000, 8))
    assert sample.session.playhead.frame == 144


def test_next_and_previous_key(sample):
    sample.keys(Qt.Key.Key_BracketRight)
    assert sample.session.playhead.frame == 62
    sample.keys(Qt.Key.Key_BracketRight)
    sample.keys(Qt.Key.Key_BracketLeft)
    assert sample.session.playhead.frame == 62


class Clock:
    """Time that passes when a test says so, whatever the machine is busy with."""

    def __init__(self) -> None:
        self.now = 100.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock(monkeypatch) -> Clock:
    made = Clock()
    monkeypatch.setattr("estompe.app.time.player.perf_counter", made)
    return made


def test_playing_keeps_the_scenes_rate_and_loops(sample, clock):
    sample.session.playhead.go(140)
    sample.keys(Qt.Key.Key_Space)
    for seconds, frame in ((3.5 / 24, 143), (1 / 24, 144), (1 / 24, 1), (0.5, 13), (6.0, 13)):
        clock.now += seconds
        sample.qtbot.waitUntil(lambda expected=frame: sample.session.playhead.frame == expected, timeout=10_000)
    clock.now += 20 / 24
    sample.qtbot.waitUntil(lambda: sample.session.playhead.frame == 33, timeout=10_000)
    sample.keys(Qt.Key.Key_Space)
    assert not sample.window.time.player.playing


def test_playing_without_loop_stops_at_the_end(sample, clock):
    sample.click(sample.window.time.loop_button)
    sample.session.playhead.go(141)
    sample.keys(Qt.Key.Key_Space)
    clock.now += 1.0
    sample.qtbot.waitUntil(lambda: not sample.window.time.player.playing, timeout=10_000)
    assert sample.session.playhead.frame == 144


def test_skipping_is_said(sample, clock):
    player = sample.window.time.player
    player.play()
    player._timer.setInterval(10_000)  # no ticks: only the count of pictures matters here
    clock.now += 1.0
    for _ in range(6):
        player.picture_shown()
    assert player.skipping
    sample.window.time.pull()
    assert "skipping: 6 pictures shown" in sample.window.time._about.text()
    player.stop()


def test_lanes_show_the_keys_of_what_is_picked(sample):
    canvas = sample.window.time.canvas
    assert [(lane.name, lane.frames) for lane in canvas.lanes] == [("Lantern position", (1.0, 62.0, 96.0, 144.0))]
    sample.session.selection.choose_control("swell-line")
    assert [lane.name for lane in canvas.lanes] == ["Swell line position"]


def test_keys_are_moved_on_all_parts_as_one_step(sample):
    sample.drag(sample.window.time.canvas, _mark(sample, 0, 62), _mark(sample, 0, 70))
    assert _frames(sample) == [1, 70, 96, 144]
    assert [key.frame for key in sample.get("controls", "lantern", "transform", "position", 1).keys] == [1, 70, 144]
    assert sample.session.document.undo_label == "Move keys of Lantern position"
    sample.session.document.undo()
    assert _frames(sample) == [1, 62, 96, 144]


def test_keys_are_copied_picked_by_a_band_and_deleted(sample):
    canvas = sample.window.time.canvas
    sample.drag(canvas, _mark(sample, 0, 62), _mark(sample, 0, 80), modifier=Qt.KeyboardModifier.ControlModifier)
    assert _frames(sample) == [1, 62, 80, 96, 144]
    y = canvas.y_of(0)
    sample.drag(canvas, (canvas.x_of(55), y - 9), (canvas.x_of(100), y + 9))
    assert {frame for _, frame in canvas.picked} == {62.0, 80.0, 96.0}
    sample.keys(Qt.Key.Key_Delete, on=canvas)
    assert _frames(sample) == [1, 144]
    assert "lantern" in [control.id for control in sample.session.document.scene.controls]


def test_keys_get_another_shape_and_a_double_click_makes_one(sample):
    canvas = sample.window.time.canvas
    canvas.picked = {(0, 62.0)}
    canvas.shape_picked("step")
    assert sample.get("controls", "lantern", "transform", "position", 0).keys[1].interpolation == "step"
    QTest.mouseDClick(
        canvas, LEFT, Qt.KeyboardModifier.NoModifier, type(sample.view.pos())(*map(round, _mark(sample, 0, 30)))
    )
    assert 30 in _frames(sample)
    assert sample.session.playhead.frame == 30


def test_shift_picks_more(sample):
    canvas = sample.window.time.canvas
    for frame, modifier in ((1, Qt.KeyboardModifier.NoModifier), (96, Qt.KeyboardModifier.ShiftModifier)):
        x, y = _mark(sample, 0, frame)
        QTest.mouseClick(canvas, LEFT, modifier, type(sample.view.pos())(round(x), round(y)))
    assert canvas.picked == {(0, 1.0), (0, 96.0)}
    sample.drag(canvas, _mark(sample, 0, 96), _mark(sample, 0, 99))
    assert _frames(sample) == [4, 62, 99, 144]


def test_k_keys_all_parts_of_what_the_handles_change(sample):
    sample.session.selection.choose_shape("amphora")
    sample.session.playhead.go(12)
    sample.keys(Qt.Key.Key_K)
    assert [number.keys[0].frame for number in sample.get("shapes", "amphora", "transform", "position")] == [12, 12, 12]
    assert sample.session.document.undo_label == "Key Amphora position"
    sample.keys(Qt.Key.Key_K)
    assert sample.get("shapes", "amphora", "transform", "position") == (0, 0, 0)


def test_ready_frames_and_the_fraction_on_each(sample, small_sample):
    canvas = sample.window.time.canvas
    sample.qtbot.waitUntil(lambda: len(canvas._ready) == 144 and len(canvas.fractions) == 144, timeout=30_000)
    for frame in (1, 62, 100):
        expected = evaluate(small_sample, frame).shown("Amphora", "Lantern glow").past_half
        assert canvas.fractions[frame] == expected
    sample.session.document.put(("falloffs", "lantern-glow", "range", "gone"), 0.9, "x")
    sample.settle()
    assert (
        canvas.fractions[1] == evaluate(sample.session.document.project, 1).shown("Amphora", "Lantern glow").past_half
    )


def test_picking_a_layer_leaves_the_fraction_and_another_falloff_does_not(sample):
    canvas = sample.window.time.canvas
    sample.qtbot.waitUntil(lambda: len(canvas.fractions) == 144, timeout=30_000)
    sample.session.selection.choose_falloff("lantern-glow", "rough")
    assert len(canvas.fractions) == 144
    before = dict(canvas.fractions)
    sample.session.selection.choose_falloff("swell")
    assert not canvas.fractions
    sample.qtbot.waitUntil(lambda: len(canvas.fractions) == 144, timeout=30_000)
    assert canvas.fractions != before


def test_late_news_of_another_falloff_or_scene_is_not_taken(sample):
    canvas, session = sample.window.time.canvas, sample.session
    sample.qtbot.waitUntil(lambda: len(canvas.fractions) == 144, timeout=30_000)
    known = dict(canvas.fractions)
    session.evaluator.readied.emit(Request(session.document.project, 30, "amphora", "swell"), 0.9)
    session.evaluator.readied.emit(
        Request(session.document.project.with_scene(Scene()), 30, "amphora", "lantern-glow"), 0.9
    )
    assert canvas.fractions == known
    session.evaluator.readied.emit(Request(session.document.project, 30, "amphora", "lantern-glow"), 0.9)
    assert canvas.fractions == known | {30: 0.9}


def test_fractions_from_before_an_edit_do_not_look_like_news(sample, monkeypatch):
    canvas = sample.window.time.canvas
    sample.qtbot.waitUntil(lambda: len(canvas.fractions) == 144, timeout=30_000)

    def filled() -> int:
        picture, wash = canvas.grab().toImage(), icons.current_theme().color("wash").rgb()
        return sum(picture.pixel(x, y) == wash for x in range(150, 900, 4) for y in range(60, canvas.height(), 4))

    assert filled() > 20
    monkeypatch.setattr(worker, "_ahead", lambda _request: iter(()))
    sample.session.document.put(("falloffs", "lantern-glow", "range", "gone"), 0.9, "x")
    sample.settle()
    assert canvas._ready == {sample.session.playhead.frame}
    assert len(canvas.fractions) == 144
    assert filled() == 0


def test_the_shots_ends_can_be_changed(sample):
    sample.type_into(sample.field("last"), "90")
    assert sample.session.document.scene.last == 90
    sample.session.playhead.go(90)
    sample.type_into(sample.field("last"), "40")
    assert sample.session.playhead.frame == 40


def test_runs_of_frames():
    assert _runs({1, 2, 3, 7, 9, 10}) == [(1, 3), (7, 7), (9, 10)]
    assert _connected([(1, 0.1), (2, 0.2), (5, 0.3)]) == [[(1, 0.1), (2, 0.2)]]


def test_moving_keys_onto_others_replaces_them(sample):
    shown = lanes.lanes_of(sample.session)
    moved = lanes.moved(sample.session.document.scene, shown, {(0, 62.0)}, 34.0, copy=False)
    keys = lanes.lanes_of(sample.session)[0].frames
    sample.session.document.commit(moved, "x")
    assert keys == (1.0, 62.0, 96.0, 144.0)
    assert lanes.lanes_of(sample.session)[0].frames == (1.0, 96.0, 144.0)


def test_a_last_frame_before_the_first_is_not_taken_and_playing_goes_on(sample):
    sample.type_into(sample.field("last"), "-5")
    assert sample.session.document.scene.last == sample.session.document.scene.first
    sample.keys(Qt.Key.Key_Space)
    sample.qtbot.wait(200)
    sample.keys(Qt.Key.Key_Space)
    assert sample.session.playhead.frame == sample.session.document.scene.first


def test_a_mistake_of_ours_is_said_and_closes_nothing(sample, capsys):
    _left_undone(sample.window, ValueError, ValueError("a screw came loose"), None)
    assert "a screw came loose" in sample.window.status.message.text()
    assert "ValueError" in capsys.readouterr().err
