"""Numbers that belong to elements by their order: random ones that stay with them."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.types import Floats


def random_of(ids: NDArray[np.integer], seed: int) -> Floats:
    """An even random number 0..1 for each id, the same on every run, float32 (n,).

    The mixing is that of Steele, Lea and Flood, "Fast Splittable Pseudorandom Number Generators" (2014),
    doi:10.1145/2660193.2660195.
    """
    bits = ids.astype(np.uint64) + np.uint64(seed * 0x9E3779B97F4A7C15 % 2**64)
    bits = (bits + np.uint64(0x9E3779B97F4A7C15)) * np.uint64(0xBF58476D1CE4E5B9)
    bits ^= bits >> np.uint64(30)
    bits *= np.uint64(0xBF58476D1CE4E5B9)
    bits ^= bits >> np.uint64(27)
    bits *= np.uint64(0x94D049BB133111EB)
    bits ^= bits >> np.uint64(31)
    return ((bits >> np.uint64(40)).astype(np.float32)) * np.float32(2.0**-24)
