"""Undo and redo as a list of scenes."""

from collections.abc import Callable

from estompe.document.scene import Scene

Subscriber = Callable[[Scene, Scene], None]


class History:
    """The scenes that were committed, with the names of the steps between them.

    Commits with the merge key of the step before become one step with it, until the gesture ends. depth: how many steps can
    be undone, 0 for all.
    """

    def __init__(self, scene: Scene, depth: int = 0) -> None:
        self._depth = depth
        self._scenes = [scene]
        self._labels: list[str] = []
        self._position = 0
        self._merge_key: object = None
        self._subscribers: list[Subscriber] = []

    @property
    def scene(self) -> Scene:
        return self._scenes[self._position]

    @property
    def undo_label(self) -> str | None:
        """The name of the step that undo would take back."""
        return self._labels[self._position - 1] if self._position else None

    @property
    def redo_label(self) -> str | None:
        """The name of the step that redo would bring again."""
        return self._labels[self._position] if self._position < len(self._labels) else None

    def subscribe(self, subscriber: Subscriber) -> None:
        """Call with the old and new scene after each change."""
        self._subscribers.append(subscriber)

    def commit(self, scene: Scene, label: str, merge_key: object = None) -> None:
        """Make a scene the current one; what had been undone is gone. Nothing happens for the same scene."""
        before = self.scene
        if scene is before or scene == before:
            return
        merges = merge_key is not None and merge_key == self._merge_key and self._position == len(self._labels)
        if merges:
            self._scenes[self._position] = scene
        else:
            del self._scenes[self._position + 1 :], self._labels[self._position :]
            self._scenes.append(scene)
            self._labels.append(label)
            self._position += 1
            self._trim()
        self._merge_key = merge_key
        self._publish(before)

    def set_depth(self, depth: int) -> None:
        """Change how many steps can be undone, 0 for all."""
        self._depth = depth
        self._trim()

    def _trim(self) -> None:
        extra = min(self._position, len(self._labels) - self._depth) if self._depth else 0
        if extra > 0:
            del self._scenes[:extra], self._labels[:extra]
            self._position -= extra

    @property
    def in_gesture(self) -> bool:
        """Whether the last step may still grow."""
        return self._merge_key is not None

    def end_gesture(self) -> None:
        """The next commit is a step of its own."""
        self._merge_key = None

    def undo(self) -> None:
        """Back to the scene before the last step; nothing at the first."""
        self._go(max(0, self._position - 1))

    def redo(self) -> None:
        """Forward again to the scene that was undone; nothing at the last."""
        self._go(min(len(self._labels), self._position + 1))

    def _go(self, position: int) -> None:
        before = self.scene
        self._position = position
        self._merge_key = None
        if self.scene is not before:
            self._publish(before)

    def _publish(self, before: Scene) -> None:
        for subscriber in list(self._subscribers):
            subscriber(before, self.scene)
