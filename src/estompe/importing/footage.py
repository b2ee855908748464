"""Animated files as evaluation sees them: a frame of a prim when it is asked for, and nothing of it kept that can be read again.

Each file is read by a process of its own (`estompe.importing.serving`), which also reads a few frames ahead. What does not change
over time is handed over once. A file that changes on the disk is opened again, and what stands for its content changes with it.
"""

import atexit
import threading
import time
from collections import OrderedDict
from pathlib import Path
from typing import Any, NamedTuple

import msgspec
import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name, printable
from estompe.files.progress import ExchangeError
from estompe.files.regular import check_answers
from estompe.geometry import Domain, Geometry, GeometryError, Topology, frozen
from estompe.geometry.attributes import finite, held_to_table
from estompe.geometry.copies import Copies
from estompe.geometry.pieces import even_ranks
from estompe.geometry.rest import Rest
from estompe.importing.blocks import GONE
from estompe.importing.content import Stamps, fingerprint_of, stamps_of
from estompe.importing.link import Arrays, Go, Link, Reading
from estompe.importing.stage import About, Entry, Lens
from estompe.kinds.context import CannotEvaluateError

Attributes = dict[tuple[Domain, str], NDArray[Any]]
_BUDGET = 512 * 2**20
_MOST_OPEN = 12
# Transforms are small, so those of several frames are fetched at once.
_MATRICES_AT_ONCE = 16
_CRASHES = 2
_SLICE = 0.05
# After so many seconds a file that could not be opened twice is tried again: something else may have ended its process.
_PAUSE_AFTER_FAILURE = 10.0


_NO_CORNERS, _NO_OFFSETS = frozen(np.zeros(0, np.int32)), frozen(np.zeros(1, np.int32))


class RestPose(NamedTuple):
    """Which pose counts as the rest: of a prim ("" for the same one), at a time code."""

    prim: str
    time: float


class _Steady(NamedTuple):
    """What a prim has on every frame: the arrays, and the sound attributes among them with what is said of them."""

    arrays: Arrays
    attributes: Attributes
    notes: list[str]


class Footage:
    """One animated file, open. It may be asked from any thread; requests wait for each other."""

    def __init__(self, reading: Reading, go_on: Go = lambda: None) -> None:
        self.reading = reading
        self._lock = threading.RLock()
        self._still: dict[str, _Steady] = {}
        self._topologies: dict[str, Topology] = {}
        self._rests: dict[tuple[str, RestPose], Rest] = {}
        self._forms: dict[str, tuple[Geometry, ...]] = {}
        self._frames: OrderedDict[tuple[str, float, RestPose], Geometry] = OrderedDict()
        self._bytes = 0
        self._matrices: dict[str, dict[float, NDArray[np.float64]]] = {}
        self._fixed: dict[str, NDArray[np.float64]] = {}
        self._lenses: dict[tuple[str, float], Lens] = {}
        self._restarts = 0
        self._link, head = _begun(reading, go_on)
        self.about: About = msgspec.convert(head["about"], About)
        self.scale = float(head["scale"])
        self.entries: dict[str, Entry] = {entry.path: entry for entry in self.about.entries}
        self.stamps = stamps_of(self.about.files or (reading.file,))
        self._fingerprint = ""

    # What evaluation asks

    @property
    def fingerprint(self) -> str:
        """What stands for the content of all its files, on any machine."""
        if not self._fingerprint:
            self._fingerprint = fingerprint_of(self.about.files or (self.reading.file,))
        return self._fingerprint

    def code(self, frame: float) -> float:
        """The file's time code on a frame of the scene."""
        return frame * (self.about.rate or self.reading.frames_per_second) / self.reading.frames_per_second

    def entry(self, path: str) -> Entry:
        """An entry of its tree. Raises CannotEvaluateError."""
        found = self.entries.get(path)
        if found is None:
            raise CannotEvaluateError(f"{Path(self.reading.file).name} has no prim {path}: choose another")
        return found

    def moves(self, path: str) -> bool:
        """Whether anything of a prim changes over time. Raises CannotEvaluateError."""
        return self.entry(path).moves

    def geometry(self, path: str, frame: float, rest: RestPose, go_on: Go = lambda: None) -> Geometry:
        """A mesh or copies on a frame, in the prim's own space, scene units.

        rest: the pose that stands at rest. What does not change over time is the same object on each frame. Raises
        CannotEvaluateError.
        """
        entry = self.entry(path)
        key = path, self.code(frame) if entry.moves else 0.0, rest
        with self._lock:
            if key in self._frames:
                self._frames.move_to_end(key)
                return self._frames[key]
            made = self._made(entry, key[1] if entry.moves else self.code(frame), rest, go_on)
            self._keep(key, made)
            return made

    def matrix(self, path: str, frame: float, go_on: Go = lambda: None) -> NDArray[np.float64]:
        """A prim's space to the world on a frame, float64 (4, 4), columns, scene units. Raises CannotEvaluateError."""
        self.entry(path)
        code, step = self.code(frame), self.code(1.0)
        with self._lock:
            if path in self._fixed:
                return self._fixed[path]
            known = self._matrices.setdefault(path, {})
            if code not in known:
                codes = [code + number * step for number in range(_MATRICES_AT_ONCE)]
                head, arrays = self._asked({"what": "matrices", "path": path, "times": codes}, path, frame, go_on)
                if not head["moves"]:
                    self._fixed[path] = arrays["matrices"][0]
                    return self._fixed[path]
                known.update(zip(codes, arrays["matrices"], strict=True))
            return known[code]

    def lens(self, path: str, frame: float, go_on: Go = lambda: None) -> Lens:
        """What a camera sees on a frame. Raises CannotEvaluateError."""
        self.entry(path)
        code = self.code(frame)
        with self._lock:
            if (path, code) not in self._lenses:
                head, _ = self._asked({"what": "lens", "path": path, "time": code}, path, frame, go_on)
                self._lenses[path, code] = msgspec.convert(head["lens"], Lens)
            return self._lenses[path, code]

    # What is made of answers

    def _made(self, entry: Entry, code: float, rest: RestPose, go_on: Go) -> Geometry:
        moving, notes = self._moving(entry.path, code, go_on)
        try:
            if entry.kind == "copies":
                return self._copies(entry.path, {**self._still[entry.path].arrays, **moving}, notes)
            return self._mesh(entry, moving, code, rest, notes, go_on)
        except GeometryError as error:
            raise CannotEvaluateError(f"{self._name(entry.path)} cannot be used: {error}") from None

    def _moving(self, path: str, code: float, go_on: Go) -> tuple[Arrays, tuple[str, ...]]:
        """What changes over time of a prim, at a time code; what does not is known from then on."""
        known = path in self._still
        asked = {"what": "sampled", "path": path, "time": code, "known": known}
        head, arrays = self._asked(asked, path, self._frame(code), go_on)
        moving = {name: arrays[name] for name in head["moving"]}
        if not known:
            still = {name: array for name, array in arrays.items() if name not in moving}
            self._still[path] = _Steady(still, *_attributes(still))
        return moving, tuple(head["notes"])

    def _mesh(
        self, entry: Entry, moving: Arrays, code: float, rest: RestPose, notes: tuple[str, ...], go_on: Go
    ) -> Geometry:
        steady = self._still[entry.path]
        arrays = {**steady.arrays, **moving}
        topology = self._topology(entry.path, arrays)
        found, more = _attributes(moving)
        counts = {Domain.POINT: topology.points, Domain.CORNER: len(topology.corners), Domain.FACE: topology.faces}
        # What was said once for all frames does not fit a frame with other faces.
        attributes = {
            key: values for key, values in {**steady.attributes, **found}.items() if len(values) == counts[key[0]]
        }
        points = frozen(np.ascontiguousarray(arrays["points"], np.float32))
        if len(points) != topology.points:
            raise GeometryError(f"it has {len(points):,} points and faces of {topology.points:,}")
        at_rest = self._rest(entry, topology, points, code, rest, go_on)
        return Geometry(points, topology, attributes, at_rest, (*notes, *steady.notes, *more))

    def _topology(self, path: str, arrays: Arrays) -> Topology:
        """The faces of a frame: the same object as long as they stay the same."""
        known, still = self._topologies.get(path), self._still[path].arrays
        if known is not None and "corners" in still and "sizes" in still:
            return known
        offsets = np.concatenate([[0], np.cumsum(arrays["sizes"])])
        if known is None or not _same_faces(known, arrays["corners"], offsets):
            if not len(arrays["sizes"]):
                # It is not seen on this frame: its points are there, and no faces.
                return Topology(_NO_CORNERS, _NO_OFFSETS, len(arrays["points"]))
            known = Geometry.from_faces(arrays["points"], arrays["corners"], offsets).topology
            self._topologies[path] = known
        return known

    def _rest(
        self, entry: Entry, topology: Topology, points: NDArray[Any], code: float, rest: RestPose, go_on: Go
    ) -> Rest:
        """The pose at rest: the same one for every frame, and its own where another has other points."""
        key = entry.path, rest
        known = self._rests.get(key)
        if known is None:
            prim = rest.prim or entry.path
            if (not entry.moves and prim == entry.path) or (prim == entry.path and rest.time == code):
                positions = points
            else:
                self.entry(prim)
                moving, _ = self._moving(prim, rest.time, go_on)
                pose = moving.get("points", self._still[prim].arrays.get("points"))
                positions = frozen(np.ascontiguousarray(pose, np.float32))
            known = self._rests[key] = Rest(positions)
        if len(known.positions) == topology.points:
            return known
        if rest.prim:
            raise CannotEvaluateError(
                f"the rest pose {rest.prim} has {len(known.positions):,} points and {entry.path} has "
                f"{topology.points:,}: choose another prim for it"
            )
        return Rest(points)

    def _copies(self, path: str, arrays: Arrays, notes: tuple[str, ...]) -> Copies:
        forms = self._forms.get(path)
        if forms is None:
            forms = tuple(_form(arrays, number) for number in range(_forms_in(arrays)))
            self._forms[path] = forms
        ids = frozen(arrays["ids"])
        pieces = {
            (Domain.PIECE, name.removeprefix("piece ")): frozen(values)
            for name, values in arrays.items()
            if name.startswith("piece ")
        }
        return Copies(
            forms, frozen(arrays["form"].astype(np.int32)), frozen(arrays["positions"]), frozen(arrays["axes"]),
            frozen(arrays["scales"]), ids, even_ranks(ids), frozen(arrays["shown"]), pieces, None, notes,
        )  # fmt: skip

    def _keep(self, key: tuple[str, float, RestPose], made: Geometry) -> None:
        self._frames[key] = made
        self._bytes += made.bytes_per_frame
        while self._bytes > _BUDGET and len(self._frames) > 1:
            _, gone = self._frames.popitem(last=False)
            self._bytes -= gone.bytes_per_frame

    def _asked(self, message: dict[str, Any], path: str, frame: float, go_on: Go) -> tuple[dict[str, Any], Arrays]:
        while True:
            try:
                answer = self._link.ask(message, go_on)
            except (ExchangeError, OSError) as error:
                if self._link.has_ended() and self._restarts < _CRASHES:
                    # Something ended the process, perhaps not the file: a new one is asked the same.
                    self._restart(path, frame, go_on)
                    continue
                words = str(error) if isinstance(error, ExchangeError) else GONE
                raise CannotEvaluateError(f"{self._name(path)} cannot be read on frame {frame:g}: {words}") from None
            self._restarts = 0
            return answer

    def _restart(self, path: str, frame: float, go_on: Go) -> None:
        """Go on with a new process. Raises CannotEvaluateError."""
        self._restarts += 1
        self.close()
        try:
            self._link, _ = _begun(self.reading, go_on)
        except (ExchangeError, OSError):
            raise CannotEvaluateError(f"{self._name(path)} cannot be read on frame {frame:g}: {GONE}") from None

    @property
    def alive(self) -> bool:
        """Whether its process still answers."""
        return self._link.alive

    def close(self) -> None:
        """End its process."""
        self._link.close()

    def _frame(self, code: float) -> float:
        return code * self.reading.frames_per_second / (self.about.rate or self.reading.frames_per_second)

    def _name(self, path: str) -> str:
        return f"{path} of {Path(self.reading.file).name}"


def _begun(reading: Reading, go_on: Go) -> tuple[Link, dict[str, Any]]:
    """A process that has opened a file, and what it says of it. Raises ExchangeError, OSError, and what `go_on` raises."""
    link = Link(reading)
    try:
        head, _ = link.receive(go_on)
    except BaseException:
        link.close()
        raise
    return link, head


class _Failure(NamedTuple):
    """Why a file could not be opened: its stamps then, words for a person, how often, and when it was last tried."""

    stamps: Stamps
    words: str
    times: int
    when: float


_OPEN: OrderedDict[Reading, Footage] = OrderedDict()
_FAILED: dict[Reading, _Failure] = {}
_BEING_OPENED: dict[Reading, threading.Lock] = {}
_LOCK = threading.Lock()
"""Held for looking up alone: never while a file is opened or a process is waited for."""


def opened(reading: Reading, go_on: Go = lambda: None) -> Footage:
    """A file that is open, or is opened now; one that changed since is opened again. Raises CannotEvaluateError."""
    with _LOCK:
        opening = _BEING_OPENED.setdefault(reading, threading.Lock())
    while not opening.acquire(timeout=_SLICE):
        go_on()
    try:
        found = if_open(reading)
        if found is not None:
            if found.alive and found.stamps == stamps_of(found.about.files or (reading.file,)):
                return found
            _let_go(reading)
        return _opened_now(reading, go_on)
    finally:
        opening.release()


def _opened_now(reading: Reading, go_on: Go) -> Footage:
    now = stamps_of((reading.file,))
    before = _FAILED.get(reading, _Failure((), "", 0, 0.0))
    times = before.times if before.stamps == now else 0
    if times >= _CRASHES and time.monotonic() - before.when < _PAUSE_AFTER_FAILURE:
        raise CannotEvaluateError(before.words)
    try:
        check_answers(reading.file)
        made = Footage(reading, go_on)
    except (ExchangeError, OSError) as error:
        words = printable(f"{reading.file} cannot be read: {error}; choose another file")
        _FAILED[reading] = _Failure(now, words, times + 1, time.monotonic())
        raise CannotEvaluateError(words) from None
    gone: list[Footage] = []
    with _LOCK:
        _FAILED.pop(reading, None)
        _OPEN[reading] = made
        while len(_OPEN) > _MOST_OPEN:
            gone.append(_OPEN.popitem(last=False)[1])
    for footage in gone:
        footage.close()
    return made


def _let_go(reading: Reading) -> None:
    with _LOCK:
        footage = _OPEN.pop(reading, None)
    if footage is not None:
        footage.close()


def if_open(reading: Reading) -> Footage | None:
    """A file that is open already; nothing is waited for."""
    with _LOCK:
        found = _OPEN.get(reading)
        if found is not None:
            _OPEN.move_to_end(reading)
    return found


def close_all() -> None:
    """Close every file that is open."""
    with _LOCK:
        gone = list(_OPEN.values())
        _OPEN.clear()
    for footage in gone:
        footage.close()


atexit.register(close_all)


def stamp_of(reading: Reading) -> Stamps:
    """What tells one state of a file from another, without opening it; None where it is not there."""
    found = if_open(reading)
    return stamps_of(found.about.files if found is not None and found.about.files else (reading.file,))


def _attributes(arrays: Arrays, before: str = "") -> tuple[Attributes, list[str]]:
    found: Attributes = {}
    notes: list[str] = []
    for label, values in arrays.items():
        if not label.startswith(before):
            continue
        domain, _, name = label.removeprefix(before).partition(" ")
        if domain not in ("point", "corner", "face"):
            continue
        sound, note = finite(clean_name(name), values)
        notes += [note] if note else []
        fitting, held = held_to_table(clean_name(name), sound)
        found[Domain(domain), fitting] = frozen(held)
    return found, notes


def _same_faces(topology: Topology, corners: NDArray[Any], offsets: NDArray[Any]) -> bool:
    return np.array_equal(topology.corners, corners) and np.array_equal(topology.offsets, offsets)


def _forms_in(arrays: Arrays) -> int:
    return sum(name.endswith(" points") and name.split(" ")[0].isdigit() for name in arrays)


def _form(arrays: Arrays, number: int) -> Geometry:
    offsets = np.concatenate([[0], np.cumsum(arrays[f"{number} sizes"])])
    attributes, _ = _attributes(arrays, f"{number} ")
    return Geometry.from_faces(arrays[f"{number} points"], arrays[f"{number} corners"], offsets, attributes)
