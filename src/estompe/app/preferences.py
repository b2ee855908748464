"""What the window remembers between sessions: theme, recent files, changed shortcuts."""

from pathlib import Path

import msgspec
import platformdirs

from estompe.document.atomic import written_whole

_MOST_RECENT = 8


class Preferences(msgspec.Struct):
    """Saved as readable JSON in the person's configuration folder."""

    theme: str = "desktop"
    recent: list[str] = []
    shortcuts: dict[str, str] = {}

    def remember(self, path: Path) -> None:
        """Put a file at the top of the recent ones."""
        name = str(path.resolve())
        self.recent = [name, *(item for item in self.recent if item != name)][:_MOST_RECENT]

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
        return msgspec.json.decode(_file().read_bytes(), type=Preferences)
    except (OSError, msgspec.MsgspecError):
        return Preferences()


def _file() -> Path:
    return platformdirs.user_config_path("estompe") / "preferences.json"
