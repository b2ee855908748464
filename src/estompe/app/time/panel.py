"""Time: play, scrub, step, loop, and what the frames hold."""

from bisect import bisect_left, bisect_right

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from estompe.app import icons, units
from estompe.app.session import Session
from estompe.app.time.canvas import TimeCanvas
from estompe.app.time.curves import CurveCanvas
from estompe.app.time.player import Player
from estompe.app.widgets.fields import rule_of
from estompe.app.widgets.labels import Elided, Head, hairline, icon_button, label
from estompe.app.widgets.number import NumberField
from estompe.app.widgets.removal import remove_widget
from estompe.document.scene import Scene


class TimePanel(QWidget):
    """The head with its buttons and numbers, and the canvas under it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.player = Player(session)
        self.canvas = TimeCanvas(session)
        self._frame = label("", "strong")
        self._about = Elided("", "soft")
        self._fraction = label("", "soft")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._head())
        layout.addWidget(hairline())
        self.curves = CurveCanvas(session)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.canvas)
        self.stack.addWidget(self.curves)
        layout.addWidget(self.stack, 1)
        self.player.changed.connect(self.pull)
        session.playhead.changed.connect(self.pull)
        session.document.scene_changed.connect(self.pull)
        session.selection.changed.connect(self.pull)
        session.evaluator.answered.connect(self.pull)
        self.pull()

    def _head(self) -> QWidget:
        head = QWidget()
        row = QHBoxLayout(head)
        row.setContentsMargins(16, 2, 16, 2)
        row.setSpacing(6)
        title = Head("Time")
        title.layout().setContentsMargins(0, 4, 10, 4)
        title.layout().removeWidget(title.about)
        remove_widget(title.about)
        row.addWidget(title)
        self.play_button = icon_button("play", "Play or stop (Space)")
        self.play_button.clicked.connect(self.player.toggle)
        self.loop_button = icon_button("loop", "Play again from the start")
        self.loop_button.setCheckable(True)
        self.loop_button.setChecked(True)
        self.loop_button.toggled.connect(self._set_loop)
        self.curves_button = icon_button("curve", "Keys as curves (G)")
        self.curves_button.setCheckable(True)
        self.curves_button.toggled.connect(self.show_curves)
        for button in (self.play_button, self.loop_button, self.curves_button):
            row.addWidget(button)
        row.addSpacing(6)
        row.addWidget(self._frame)
        row.addWidget(self._about, 1)
        row.addWidget(self._fraction)
        row.addSpacing(12)
        self._ends = [
            NumberField(self.session, (name,), rule_of(Scene, name)) for name in ("first", "last", "frames_per_second")
        ]
        for end, width in zip(self._ends, (72, 76, 76), strict=True):
            end.setFixedWidth(width)
            row.addWidget(end)
        return head

    def pull(self) -> None:
        """Show the frame, the rate and the fraction."""
        session, player = self.session, self.player
        icons.put(self.play_button, "pause" if player.playing else "play", "chalk")
        self._frame.setText(f"frame {session.playhead.frame} of {session.document.scene.last}")
        rate = f"{session.document.scene.frames_per_second:g} per second"
        if player.skipping:
            rate = f"{rate}, skipping: {player.rate:.0f} pictures shown"
        self._about.setText(rate)
        answer = session.evaluator.answer
        fraction = answer.past_half if answer is not None else None
        self._fraction.setText(f"past half strength: {units.per_cent(fraction)}" if fraction is not None else "")
        for end in self._ends:
            end.pull()

    def show_curves(self, on: bool) -> None:
        """Show keys as curves, or as marks on lanes."""
        self.curves_button.setChecked(on)
        self.stack.setCurrentWidget(self.curves if on else self.canvas)

    def step(self, by: int) -> None:
        """Go some frames on or back."""
        self.player.stop()
        self.session.playhead.go(self.session.playhead.frame + by)

    def next_key(self, by: int) -> None:
        """Go to the next key on the lanes, or the one before."""
        frames = sorted({frame for lane in self.canvas.lanes for frame in lane.frames})
        place = (
            bisect_right(frames, self.session.playhead.frame)
            if by > 0
            else bisect_left(frames, self.session.playhead.frame) - 1
        )
        if 0 <= place < len(frames):
            self.session.playhead.go(round(frames[place]))

    def _set_loop(self, on: bool) -> None:
        self.player.looping = on
