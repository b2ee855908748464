"""What the command line tells a person who typed something that cannot be done."""

DONE, FAILED, USAGE, CANCELLED, PROBLEMS = range(5)
"""What a command ends with: done, failed, called in a wrong way, cancelled, or stopped by problems in the scene."""


class ProblemsError(Exception):
    """The scene has problems that keep frames from being written; the text is one line."""


class UsageError(Exception):
    """Something the person typed cannot be done; the text is one line."""
