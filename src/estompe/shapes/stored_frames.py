"""Values that are stored frame by frame with the scene, at any moment."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import frozen
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError


def blended(stored: NDArray[Any], at: float) -> Floats:
    """Values between two stored frames, float32 (n, k); held outside.

    stored: (frames, n, k); at: frames after the first. Raises CannotEvaluateError.
    """
    _check(stored)
    place = min(max(at, 0.0), len(stored) - 1.0)
    index, share = int(place), np.float32(place - int(place))
    values = stored[index] if not share else stored[index] * (np.float32(1.0) - share) + stored[index + 1] * share
    return frozen(np.asarray(values, np.float32))


def held(stored: NDArray[Any], at: float) -> NDArray[Any]:
    """Values of the stored frame before, (n,) or (n, k). stored: (frames, n) or (frames, n, k). Raises CannotEvaluateError."""
    _check(stored, 2)
    return frozen(stored[int(min(max(at, 0.0), len(stored) - 1.0))])


def _check(stored: NDArray[Any], fewest: int = 3) -> None:
    if not fewest <= stored.ndim <= 3 or not len(stored):
        raise CannotEvaluateError("its stored frames do not fit together: import it again")
