"""What goes wrong with files from others."""

from collections.abc import Callable

Progress = Callable[[float, str], None]
"""Progress: a fraction 0..1 and what is being done. It may raise CancelledError to stop the work."""


class ExchangeError(ValueError):
    """A file that cannot be read or written; the text names the file and the problem."""


class SceneProblemsError(ExchangeError):
    """A frame that cannot be written because of problems in the scene; each in words."""

    def __init__(self, text: str, problems: tuple[str, ...]) -> None:
        super().__init__(text)
        self.problems = problems
