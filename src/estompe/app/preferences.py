"""What the window remembers between sessions: choices, recent files, shortcuts, and where its parts stood."""

import os
from pathlib import Path

import msgspec
import platformdirs

from estompe.files.atomic import written_whole
from estompe.files.regular import check_answers

_MOST_RECENT = 8
_MOST_ADDED = 6
_MOST_THREADS, _MOST_UNDO = 1024, 1_000_000
_SHORTEST_AUTOSAVE, _LONGEST_AUTOSAVE = 5, 3600
_LONGEST_PATH, _LARGEST_SIDE = 4096, 100_000
# The longest that the start of the window may wait.
_PATIENCE = 2.0
TEXT_SIZES = ("small", "normal", "large")
NAVIGATIONS = ("left", "middle")


class Preferences(msgspec.Struct):
    """Saved as readable JSON in the person's configuration folder.

    theme: "desktop", "paper" or "charcoal"; text_size: one of `TEXT_SIZES`; navigation: one of `NAVIGATIONS`; results_mb,
    frames_mb, states_mb: memory budgets in MiB, 0 for a fraction of the machine's; threads, undo_depth: 0 for all; autosave:
    seconds; splitters: sizes by name; added: entries that were added last.
    """

    theme: str = "desktop"
    text_size: str = "normal"
    navigation: str = "left"
    results_mb: int = 0
    frames_mb: int = 0
    states_mb: int = 0
    threads: int = 0
    undo_depth: int = 0
    autosave: int = 20
    recent: list[str] = []
    added: list[str] = []
    shortcuts: dict[str, str] = {}
    splitters: dict[str, list[int]] = {}

    def sound(self) -> "Preferences":
        """The same with every value within its limits, and without paths that cannot be any."""

        def within(value: int, most: int) -> int:
            return min(max(0, value), most)

        memory = machine_memory() >> 20
        self.results_mb, self.frames_mb, self.states_mb = (
            within(value, memory) for value in (self.results_mb, self.frames_mb, self.states_mb)
        )
        self.threads, self.undo_depth = within(self.threads, _MOST_THREADS), within(self.undo_depth, _MOST_UNDO)
        self.autosave = max(_SHORTEST_AUTOSAVE, within(self.autosave, _LONGEST_AUTOSAVE))
        self.recent = [name for name in self.recent if 0 < len(name) <= _LONGEST_PATH and name.isprintable()]
        self.recent = self.recent[:_MOST_RECENT]
        self.added = self.added[:_MOST_ADDED]
        self.splitters = {
            name: sizes for name, sizes in self.splitters.items() if all(0 < size <= _LARGEST_SIDE for size in sizes)
        }
        return self

    def remember(self, path: Path) -> None:
        """Put a file at the top of the recent ones; one whose name is no text cannot be written down."""
        name = str(path.resolve())
        if not name.isprintable():
            return
        self.recent = [name, *(item for item in self.recent if item != name)][:_MOST_RECENT]

    def remember_added(self, name: str) -> None:
        """Put what was added at the top of what was added last."""
        self.added = [name, *(item for item in self.added if item != name)][:_MOST_ADDED]

    @property
    def results_budget(self) -> int:
        """Bytes of results of stages to keep."""
        return self.results_mb << 20 if self.results_mb > 0 else machine_memory() // 12

    @property
    def frames_budget(self) -> int:
        """Bytes of computed frames to keep."""
        return self.frames_mb << 20 if self.frames_mb > 0 else machine_memory() // 6

    @property
    def states_budget(self) -> int:
        """Bytes of states to keep in memory, of what the scene remembers."""
        return self.states_mb << 20 if self.states_mb > 0 else machine_memory() // 12

    def save(self) -> None:
        """Write the preferences; a folder that cannot be written is no reason to stop."""
        file = _file()
        try:
            file.parent.mkdir(parents=True, exist_ok=True)
            with written_whole(file) as part:
                part.write_bytes(msgspec.json.format(msgspec.json.encode(self), indent=1))
        except OSError:
            return


def load() -> Preferences:
    """The saved preferences, or fresh ones where there are none or they cannot be read."""
    try:
        check_answers(_file(), _PATIENCE)
        return msgspec.json.decode(_file().read_bytes(), type=Preferences).sound()
    except (OSError, ValueError):
        return Preferences()


def machine_memory() -> int:
    """Bytes of memory the machine has."""
    return os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")


def _file() -> Path:
    return platformdirs.user_config_path("estompe") / "preferences.json"
