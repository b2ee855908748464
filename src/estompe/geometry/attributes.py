"""Attributes with a meaning of their own: who stores one under such a name keeps to its type and width."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray


class Reserved(NamedTuple):
    """What values of a reserved name are: their kind as NumPy names it, and how many numbers each has (0: a single one)."""

    kind: str
    width: int
    meaning: str


RESERVED: dict[str, Reserved] = {
    "color": Reserved("f", 3, "red, green and blue, 0..1"),
    "back_color": Reserved("f", 3, "red, green and blue of the other side, 0..1"),
    "uv": Reserved("f", 2, "place in a picture, 0..1"),
    "normal": Reserved("f", 3, "the direction it was made to face, which tells hard edges"),
    "order": Reserved("f", 0, "position along a profile, 0..1"),
    "one_sided": Reserved("f", 0, "1 where only the front is seen"),
    "id": Reserved("i", 0, "a number that stays with a point"),
    "contact": Reserved("b", 0, "points that touch what presses"),
    "volume before": Reserved("f", 0, "enclosed volume before an effect"),
    "volume after": Reserved("f", 0, "enclosed volume after an effect"),
    "deepest": Reserved("f", 0, "how deep the deepest contact is"),
}


def finite(name: str, values: NDArray[Any]) -> tuple[NDArray[Any], str]:
    """Values without what is no finite number, which becomes 0, and a note that says so; "" where all are sound."""
    if values.dtype.kind != "f" or np.isfinite(values).all():
        return values, ""
    count = int((~np.isfinite(values)).sum())
    are = "value of “{}” is no number" if count == 1 else "values of “{}” are no numbers"
    cleaned = np.nan_to_num(values, nan=0.0, posinf=0.0, neginf=0.0)
    return cleaned, f"{count:,} {are.format(name)} and became 0"


def fits(name: str, values: NDArray[Any]) -> bool:
    """Whether values may be stored under a name: any under a free one, only those of the right form under a reserved one."""
    rule = RESERVED.get(name)
    if rule is None:
        return True
    wanted = () if rule.width == 0 else (rule.width,)
    return values.dtype.kind == rule.kind and values.shape[1:] == wanted


def free_name(name: str) -> str:
    """A name for values that do not fit the reserved one."""
    return f"{name} (values)"


def held_to_table(name: str, values: NDArray[Any]) -> tuple[str, NDArray[Any]]:
    """What a file brought as a name and values that can be stored: brought to the right form, or given a free name.

    Values are cut to a reserved name's width; numbers of another type are converted.
    """
    rule = RESERVED.get(name)
    if rule is None or fits(name, values):
        return name, values
    if rule.kind == "f" and values.dtype.kind in "fiu" and values.ndim == 2 and values.shape[1] > rule.width > 0:
        return name, np.ascontiguousarray(values[:, : rule.width], np.float32)
    return free_name(name), values
