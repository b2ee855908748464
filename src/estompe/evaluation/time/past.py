"""The states of kinds with memory, frame by frame.

A state is known by a digest of everything that led to it: where it started, and what was seen at each step. So an edit that
matters from some frame on does not change the digests of the frames before it, and a digest means the same in another process,
after a restart and on another machine.
"""

import math
from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

from estompe.document.project import Project
from estompe.evaluation.planning.inputs import View
from estompe.evaluation.planning.others import Kept, Place
from estompe.evaluation.running.memo import STATE, Memo
from estompe.evaluation.running.node import Node
from estompe.evaluation.running.schedule import Schedule, said_for
from estompe.evaluation.running.token import digest_of
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.other_frames import OtherFrames
from estompe.evaluation.time.program import program_digest
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.registry import tag_of
from estompe.kinds.remembering import Remembered, Remembering, Seen, Since

FORMAT = 3
"""Raised when states of the same kind and version would come out otherwise, so that none of an older program is used."""


class Progress(NamedTuple):
    """How far a past has been worked out: the place, the frame that is stepped to, the first and the last one of this run."""

    place: Place
    frame: int
    first: int
    last: int


class Standing(NamedTuple):
    """How far a place has been worked out.

    begins: the frame it starts on; looks: steps a frame; nbytes: of a state; frames: those after which the state is kept.
    """

    begins: int
    looks: int
    nbytes: int
    frames: set[int]


class Past(OtherFrames):
    """The other frames of one scene, with the states of kinds with memory; implements `Others` for its plans.

    pause: called between steps and stages, may raise; report: called for each step of a past that is worked out; steps: how many
    have been run.
    """

    def __init__(
        self,
        project: Project,
        memo: Memo,
        keep: Keep | None = None,
        pause: Callable[[], None] = lambda: None,
        report: Callable[[Progress], None] = lambda _progress: None,
        rough: float = 1.0,
    ) -> None:
        super().__init__(project, memo, pause, rough)
        self.keep = Keep() if keep is None else keep
        self.report = report
        self.steps = 0
        self.allows_problems = False
        """Whether frames with problems are written all the same."""
        self.only_kept = False
        """Whether a state that is not cached is an error, instead of being computed."""
        self.links: dict[Place, dict[int, bytes]] = {}
        self.keep.links = self.links
        assets = project.assets
        self.keep.baked = {
            bytes.fromhex(item.digest): assets[item.asset] for item in project.scene.states if item.asset in assets
        }
        self._begins: dict[Place, int] = {}
        self._types: dict[Place, type[Remembered]] = {}
        self._looks: dict[Place, int] = {}
        self._open: set[Place] = set()
        # The frames that are stepped through at once, the first and the last.
        self._on_the_way: tuple[int, int] | None = None

    def standing(self) -> dict[Place, Standing]:
        """How far each place that was looked at has been worked out."""
        return {
            place: Standing(self._begins[place], self._looks[place], self.keep.size(place), self.keep.frames(place))
            for place in list(self.links)
            if place in self._looks
        }

    def first_difference(self, older: "Past") -> int | None:
        """The first frame after which a state is another than in an older scene, among the states that were known there."""
        found = []
        for place, links in self.links.items():
            before = older.links.get(place, {})
            found += [frame for frame, digest in links.items() if before.get(frame, digest) != digest]
        return min(found, default=None)

    def state_after(self, schedule: Schedule, frame: float, place: Place, view: View) -> Node[Kept]:
        """The node of a place's state after a frame. Raises CannotEvaluateError."""
        digest = self._digest(place, frame, view)
        return schedule.elsewhere(STATE, digest, lambda: self._computed(place, frame, view, digest))

    def _digest(self, place: Place, frame: float, view: View) -> bytes:
        """What stands for the state after a frame; those of whole frames are found once."""
        links = self.links.setdefault(place, {})
        number = int(frame) if frame == int(frame) else None
        if number is not None and number in links:
            return links[number]
        begin = self._begins.setdefault(place, view.kind.begins(self.project.scene.first))
        self._types.setdefault(place, view.kind.state)
        self._looks[place] = view.kind.looks()
        if frame <= begin:
            kind = view.kind
            return digest_of(("start", FORMAT, program_digest(), tag_of(kind), kind.version, float(frame), view.token))
        base, way = self._way(frame, view.kind)
        before = self.link(place, base)
        looks = tuple((self.planned(at).view(place).token, seconds) for at, seconds in way[:-1])
        digest = digest_of(("step", before, looks, view.token, way[-1][1]))
        if number is not None:
            links[number] = digest
        return digest

    def link(self, place: Place, frame: int) -> bytes:
        """What stands for the state of a place after a frame, from the nearest known one on. Raises CannotEvaluateError."""
        links = self.links.setdefault(place, {})
        if frame in links:
            return links[frame]
        if place in self._open:
            raise CannotEvaluateError("it depends on itself on the frames before: choose another falloff")
        self._open.add(place)
        try:
            for number in range(self._nearest(place, frame, links) + 1, frame + 1):
                self.pause()
                with _on_frame(number):
                    links[number] = self._digest(place, number, self.planned(number).view(place))
        finally:
            self._open.discard(place)
        return links[frame]

    def _nearest(self, place: Place, frame: int, links: dict[int, bytes]) -> int:
        """The last frame before one whose digest is known, or the one before it begins."""
        begin = self._begins.get(place, self.project.scene.first)
        number = frame
        while number > begin and number - 1 not in links:
            number -= 1
        return number - 1

    def _way(self, frame: float, kind: Remembering) -> tuple[int, list[tuple[float, float]]]:
        """The whole frame before, and the moments from there to this one, each with the seconds to it."""
        base = math.ceil(frame) - 1
        looks, rate = kind.looks(), self.project.scene.frames_per_second
        moments = [base + number / looks for number in range(1, looks)]
        moments = [at for at in moments if at < frame - 1e-9] + [frame]
        before = [float(base), *moments]
        return base, [(at, (at - last) / rate) for last, at in zip(before, moments, strict=False)]

    def _computed(self, place: Place, frame: float, view: View, digest: bytes) -> Kept:
        """A state: from what is kept, or from the one before."""
        kind = view.kind
        kept = self.keep.get(digest, kind.state)
        if kept is not None:
            return kept
        if frame <= self._begins[place]:
            now = view.value
            with said_for(kind.label):
                made = Kept(_state(kind, kind.start(now, frame)), len(now.elements), now.elements.identity)
        else:
            made = self._stepped(place, frame, view)
        if frame == int(frame):
            self.keep.put(digest, place, int(frame), made)
        return made

    def kept(self, place: Place, digest: bytes) -> Kept | None:
        """A state, if it is kept."""
        return self.keep.get(digest, self._types[place])

    def _stepped(self, place: Place, frame: float, view: View) -> Kept:
        if self.only_kept and frame == int(frame):
            raise CannotEvaluateError(f"what it remembers on frame {frame:g} is not kept: work it out first")
        base, way = self._way(frame, view.kind)
        kept, last = self.state(place, base), float(base)
        number = math.ceil(frame)
        self.report(Progress(place, number, *(self._on_the_way or (number, number))))
        for at, seconds in way:
            here = view if at == frame else self._view(place, at)
            now = here.value
            if len(now.elements) != kept.count or now.elements.identity != kept.identity:
                raise CannotEvaluateError(self._changed(place, last, at, kept.count, len(now.elements)))
            since = Since(seconds, at - last, at, partial(self._seen, place, last), self.pause)
            with said_for(here.kind.label):
                kept = Kept(_state(here.kind, here.kind.step(kept.state, now, since)), kept.count, kept.identity)
            self.steps += 1
            last = at
        return kept

    def _seen(self, place: Place, frame: float) -> Seen:
        return self._view(place, frame).value

    def _view(self, place: Place, frame: float) -> View:
        plan = self.running(frame)
        return plan.settled(lambda: plan.view(place))

    def state(self, place: Place, frame: int) -> Kept:
        """The state after a whole frame, from the nearest kept one before it.

        Raises CannotEvaluateError, and what `pause` raises.
        """
        self.link(place, frame)
        links, begin, kind = self.links[place], self._begins[place], self._types[place]
        first, made = frame, self.keep.get(links[frame], kind)
        while made is None and first > begin:
            first -= 1
            made = self.keep.get(links[first], kind) if self.keep.has(links[first]) else None
        if made is None:
            first -= 1
        before, self._on_the_way = self._on_the_way, (first + 1, frame)
        try:
            for number in range(first + 1, frame + 1):
                self.pause()
                with _on_frame(number):
                    made = self._state_on(place, number)
        finally:
            self._on_the_way = before
        assert made is not None
        return made

    def _state_on(self, place: Place, number: int) -> Kept:
        plan = self.running(number)
        return plan.settled(lambda: self.state_after(plan.schedule, number, place, plan.view(place))).value

    def _changed(self, place: Place, before: float, now: float, had: int, has: int) -> str:
        """Why there are other elements than on the frame before, in words."""
        cause = self.cause_of_change((place.shape, place.effects_before), place.domain, before, now)
        noun, others = place.domain.value, "others, " if has == had else ""
        return (
            f"on frame {now:g} there are {has:,} {noun}s and before there were {others}{had:,}, because of {cause}: "
            "put this before what changes them"
        )


class _on_frame:  # noqa: N801
    """Say on which frame something could not be evaluated."""

    def __init__(self, frame: int) -> None:
        self._frame = frame

    def __enter__(self) -> None:
        return

    def __exit__(self, _kind: Any, error: Any, _trace: Any) -> None:
        if isinstance(error, CannotEvaluateError) and not str(error).startswith("on frame "):
            raise CannotEvaluateError(f"on frame {self._frame}: {error}") from None


def _state(kind: Any, made: object) -> Remembered:
    """A state a kind returned. Raises CannotEvaluateError for something else."""
    if not isinstance(made, Remembered) or type(made) is not kind.state:
        raise CannotEvaluateError(f"it returned {type(made).__name__}, not its state: its kind has a mistake")
    return made
