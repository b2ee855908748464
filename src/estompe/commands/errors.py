"""What the command line tells a person who typed something that cannot be done."""


class UsageError(Exception):
    """Something the person typed cannot be done; the text is one line."""
