"""Array types named once for signatures."""

from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

Array = TypeVar("Array", bound=NDArray[Any])
Floats = NDArray[np.float32]
Matrix = NDArray[np.float64]
Indices = NDArray[np.int32]


def frozen(array: NDArray[Any]) -> NDArray[Any]:
    """The array, contiguous and read-only from now on."""
    array = np.ascontiguousarray(array)
    array.setflags(write=False)
    return array


def read_only(array: Array) -> Array:
    """The array as kernels are compiled for it: a read-only array is a type of its own, and every type is compiled by itself."""
    if array.flags.writeable:
        array = array.view()
        array.setflags(write=False)
    return array
