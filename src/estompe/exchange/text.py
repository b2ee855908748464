"""Rows of numbers as text, many at once."""

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

_ROWS = 50_000


def rows(word: str, values: NDArray[np.float32]) -> Iterator[str]:
    """Lines of a word and the numbers of each row, exact for float32; yielded some thousand lines at a time."""
    line = " ".join([word, *["%.9g"] * values.shape[1]]) + "\n"
    for begin in range(0, len(values), _ROWS):
        part = values[begin : begin + _ROWS]
        yield (line * len(part)) % tuple(part.ravel().tolist())
