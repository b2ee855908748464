"""Where files are on this machine: names in a scene may begin with a variable or `~`, and roots may differ between machines."""

import os
import re

MAP = "ESTOMPE_MAP"
"""The environment variable with pairs FROM=TO, so that processes started from this one map alike."""
_VARIABLE = re.compile(r"\$(?:\{(\w+)\}|(\w+))")


def is_open(name: str) -> bool:
    """Whether a name begins with a variable or `~`: it stays as it is written, and is expanded when the file is read."""
    return name.startswith(("$", "~"))


def place_of(name: str) -> str:
    """The path of a file on this machine: variables and `~` expanded, then the first root that fits replaced.

    Parameters
    ----------
    name : str
        As the scene has it. Variables that are not set stay as they are written.

    Returns
    -------
    str
        The path.
    """
    path = os.path.expanduser(os.path.expandvars(name)) if "$" in name or name.startswith("~") else name
    for begin, root in roots():
        if path == begin or path.startswith(begin + "/"):
            return root + path[len(begin) :]
    return path


def missing_variables(name: str) -> list[str]:
    """The variables of a name that are not set."""
    names = (braced or plain for braced, plain in _VARIABLE.findall(name))
    return [variable for variable in names if variable not in os.environ]


def roots() -> list[tuple[str, str]]:
    """Roots of paths, and what stands for them on this machine."""
    return _pairs(os.environ.get(MAP, ""))


def map_roots(pairs: list[str]) -> None:
    """Map roots from now on, here and in processes that are started from here.

    Parameters
    ----------
    pairs : list of str
        FROM=TO each; they come before those that are mapped already.

    Raises
    ------
    ValueError
        For a pair that is none.
    """
    for pair in pairs:
        begin, sign, root = pair.partition("=")
        if not (begin.strip("/") and sign and root) or ";" in pair:
            raise ValueError(f"“{pair}” is no pair of roots: write FROM=TO, such as /mnt/shots=/home/me/shots")
    os.environ[MAP] = ";".join([*pairs, *filter(None, [os.environ.get(MAP)])])


def _pairs(text: str) -> list[tuple[str, str]]:
    parts = (pair.partition("=") for pair in text.split(";") if "=" in pair)
    return [(begin.rstrip("/"), root.rstrip("/") or "/") for begin, _, root in parts if begin.rstrip("/")]
