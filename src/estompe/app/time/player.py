"""Playing at the scene's rate: frames that come too late are skipped, never slowed down."""

from time import perf_counter

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from estompe.app.session import Session


class Player(QObject):
    """changed() when playing starts or stops; rate is how many different pictures a second are really shown."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._session = session
        self.looping = True
        self.rate = 0.0
        self._began = 0.0
        self._from = 0
        self._shown: list[float] = []
        self._timer = QTimer(self, interval=4)
        self._timer.timeout.connect(self._tick)

    @property
    def playing(self) -> bool:
        return self._timer.isActive()

    @property
    def skipping(self) -> bool:
        """Whether clearly fewer pictures are shown than the scene has frames."""
        return self.playing and 0.0 < self.rate < 0.9 * self._session.document.scene.frames_per_second

    def toggle(self) -> None:
        """Play or stop."""
        self.stop() if self.playing else self.play()

    def play(self) -> None:
        """Play from here; from the start if this is the last frame."""
        if self._session.playhead.frame >= self._session.document.scene.last:
            self._session.playhead.go(self._session.document.scene.first)
        self._began, self._from = perf_counter(), self._session.playhead.frame
        self._shown, self.rate = [], 0.0
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        self._timer.stop()
        self.changed.emit()

    def picture_shown(self) -> None:
        """Count a picture that has reached the screen."""
        if not self.playing:
            return
        now = perf_counter()
        self._shown = [moment for moment in self._shown if now - moment < 1.0] + [now]
        span = min(1.0, now - self._began)
        if span > 0.5:
            self.rate = len(self._shown) / span

    def _tick(self) -> None:
        scene = self._session.document.scene
        count = scene.last - scene.first + 1
        passed = int((perf_counter() - self._began) * scene.frames_per_second)
        frame = self._from + passed
        if frame > scene.last:
            if not self.looping:
                self._session.playhead.go(scene.last)
                self.stop()
                return
            frame = scene.first + (frame - scene.first) % count
        self._session.playhead.go(frame)
