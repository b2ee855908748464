"""Undo and redo as a list of scenes, each with the variants that were kept beside it."""

from collections.abc import Callable
from typing import NamedTuple

from estompe.document.scene import Scene
from estompe.document.variants import Variant

Subscriber = Callable[[Scene, Scene], None]


class _Kept(NamedTuple):
    """What a step left."""

    scene: Scene
    variants: tuple[Variant, ...]


class History:
    """The scenes and variants that were committed, with the names of the steps between them.

    Commits with the merge key of the step before become one step with it, until the gesture ends. depth: how many steps can
    be undone, 0 for all.
    """

    def __init__(self, scene: Scene, depth: int = 0, variants: tuple[Variant, ...] = ()) -> None:
        self._depth = depth
        self._kept = [_Kept(scene, variants)]
        self._labels: list[str] = []
        self._position = 0
        self._merge_key: object = None
        self._subscribers: list[Subscriber] = []
        self._variant_subscribers: list[Callable[[], None]] = []

    @property
    def scene(self) -> Scene:
        return self._kept[self._position].scene

    @property
    def variants(self) -> tuple[Variant, ...]:
        return self._kept[self._position].variants

    @property
    def undo_label(self) -> str | None:
        """The name of the step that undo would take back."""
        return self._labels[self._position - 1] if self._position else None

    @property
    def redo_label(self) -> str | None:
        """The name of the step that redo would bring again."""
        return self._labels[self._position] if self._position < len(self._labels) else None

    @property
    def labels(self) -> tuple[str, ...]:
        """The names of all steps, done and undone, the oldest first."""
        return tuple(self._labels)

    @property
    def position(self) -> int:
        """How many of these steps are done."""
        return self._position

    def subscribe(self, subscriber: Subscriber) -> None:
        """Call with the old and new scene after each change of it."""
        self._subscribers.append(subscriber)

    def subscribe_to_variants(self, subscriber: Callable[[], None]) -> None:
        """Call after each change of the variants."""
        self._variant_subscribers.append(subscriber)

    def commit(
        self, scene: Scene, label: str, merge_key: object = None, variants: tuple[Variant, ...] | None = None
    ) -> None:
        """Make a scene the current one; what had been undone is gone. Nothing happens where nothing differs.

        variants: what is kept beside it from now on, where that changes.
        """
        before = self._kept[self._position]
        after = _Kept(scene, before.variants if variants is None else variants)
        if (scene is before.scene or scene == before.scene) and after.variants == before.variants:
            return
        merges = merge_key is not None and merge_key == self._merge_key and self._position == len(self._labels)
        if merges:
            self._kept[self._position] = after
        else:
            del self._kept[self._position + 1 :], self._labels[self._position :]
            self._kept.append(after)
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
            del self._kept[:extra], self._labels[:extra]
            self._position -= extra

    @property
    def in_gesture(self) -> bool:
        """Whether the last step may still grow."""
        return self._merge_key is not None

    def end_gesture(self) -> None:
        """The next commit is a step of its own."""
        self._merge_key = None

    def undo(self) -> None:
        """Back to what was before the last step; nothing at the first."""
        self._go(max(0, self._position - 1))

    def redo(self) -> None:
        """Forward again to what was undone; nothing at the last."""
        self._go(min(len(self._labels), self._position + 1))

    def go(self, position: int) -> None:
        """Undo or redo until so many steps are done."""
        self._go(min(max(0, position), len(self._labels)))

    def _go(self, position: int) -> None:
        before = self._kept[self._position]
        self._position = position
        self._merge_key = None
        self._publish(before)

    def _publish(self, before: _Kept) -> None:
        if self.scene is not before.scene:
            for subscriber in list(self._subscribers):
                subscriber(before.scene, self.scene)
        if self.variants is not before.variants:
            for told in list(self._variant_subscribers):
                told()
