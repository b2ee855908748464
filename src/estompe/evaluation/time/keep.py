"""States by what stands for them: in memory up to a budget, thinned out beyond it, and in a folder if there is one.

Which are evicted changes how long it takes to have them again, never a bit of them.
"""

import contextlib
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.evaluation.planning.others import Kept, Place
from estompe.evaluation.time.state_files import StateFileError, StateFolder, unpacked
from estompe.kinds.remembering import Remembered

DEFAULT_BUDGET = 1 << 30
# The last two used always stay: the one that is stepped from and the one that is made.
_ALWAYS = 2
_LONGEST_STRIDE = 1 << 20


class _Entry(NamedTuple):
    place: Place
    frame: int
    kept: Kept


class Keep:
    """A store of states.

    budget: bytes in memory; folder: where all of them go as well; links: what counts for the newest scene; baked: states that
    are kept with that scene, as the bytes of their files.
    """

    def __init__(self, budget: int = DEFAULT_BUDGET, folder: StateFolder | None = None) -> None:
        self.budget, self.folder = budget, folder
        self.links: Mapping[Place, Mapping[int, bytes]] = {}
        self.baked: Mapping[bytes, NDArray[np.uint8]] = {}
        self._entries: dict[bytes, _Entry] = {}
        self._strides: dict[Place, int] = {}
        self.used = 0
        self._tight = ""

    @property
    def trouble(self) -> str:
        """What keeps states from being kept, in words; "" for nothing. None of it changes a result."""
        if self.folder is None:
            return self._tight
        damaged = self.folder.damaged
        passed = f"{damaged} damaged files in {self.folder.path} were passed over" if damaged else ""
        return self.folder.trouble or self._tight or passed

    def has(self, digest: bytes) -> bool:
        """Whether a state is there."""
        there = digest in self._entries or digest in self.baked
        return there or (self.folder is not None and self.folder.has(digest))

    def get(self, digest: bytes, kind: type[Remembered]) -> Kept | None:
        """A state, if it is there. kind: of what type it must be."""
        entry = self._entries.pop(digest, None)
        if entry is not None:
            self._entries[digest] = entry  # the last one used stands last
            return entry.kept
        if digest in self.baked:
            with contextlib.suppress(StateFileError):
                return unpacked(self.baked[digest].tobytes(), kind, digest)
        return self.folder.read(digest, kind) if self.folder is not None else None

    def put(self, digest: bytes, place: Place, frame: int, kept: Kept) -> None:
        """Keep a state, and evict others past the budget."""
        if digest in self._entries:
            return
        self._entries[digest] = _Entry(place, frame, kept)
        self.used += kept.nbytes
        if self.folder is not None:
            self.folder.write(digest, kept)
        if kept.nbytes > self.budget:
            self._tight = (
                f"one state takes {kept.nbytes / 2**20:.0f} MB and the budget for them is {self.budget / 2**20:.0f} MB, so going "
                "back means working out again: raise it in the preferences"
            )
        if self.used > self.budget:
            self._make_room()

    def drop(self, digest: bytes) -> None:
        """Let go of a state in memory."""
        entry = self._entries.pop(digest, None)
        if entry is not None:
            self.used -= entry.kept.nbytes

    def size(self, place: Place) -> int:
        """Bytes of the state of a place that was used last; 0 if there is none in memory."""
        for entry in reversed(self._entries.values()):
            if entry.place == place:
                return entry.kept.nbytes
        return 0

    def frames(self, place: Place) -> set[int]:
        """The frames of a place after which the state is there, as the newest scene has it."""
        links = self.links.get(place, {})
        return {frame for frame, digest in links.items() if self.has(digest)}

    def _make_room(self) -> None:
        self._evict_stale()
        while self.used > self.budget and len(self._entries) > _ALWAYS:
            place = self._largest()
            if not self._thin(place):
                if self._strides.get(place, 1) >= _LONGEST_STRIDE:
                    return
                self._strides[place] = 2 * self._strides.get(place, 1)

    def _evict_stale(self) -> None:
        """What no longer counts goes first, the least recently used first of all."""
        for digest in list(self._entries)[:-_ALWAYS]:
            if self.used <= self.budget:
                return
            entry = self._entries[digest]
            if self.links.get(entry.place, {}).get(entry.frame) != digest:
                self.drop(digest)

    def _largest(self) -> Place:
        """The place whose states take most memory."""
        sizes: dict[Place, int] = {}
        for entry in self._entries.values():
            sizes[entry.place] = sizes.get(entry.place, 0) + entry.kept.nbytes
        return max(sizes, key=lambda place: sizes[place])

    def _thin(self, place: Place) -> bool:
        """Of a place, every second, fourth, eighth ... frame stays. Returns whether anything went."""
        stride, before = self._strides.get(place, 1), len(self._entries)
        for digest in list(self._entries)[:-_ALWAYS]:
            entry = self._entries[digest]
            if entry.place == place and entry.frame % stride:
                self.drop(digest)
        return len(self._entries) < before
