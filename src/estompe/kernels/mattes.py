"""How much of each pixel is whose: ids of several draws counted, the most frequent ones kept."""

import numpy as np
from numpy.typing import NDArray

from estompe.kernels import BLOCK
from estompe.kernels.compile import parallel_kernel, prange


@parallel_kernel
def _count(keys, found, counts):
    n, slots = found.shape
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            key = keys[i]
            if key == 0:
                continue
            least = 0
            for k in range(slots):
                if counts[i, k] == 0 or found[i, k] == key:
                    least = k
                    break
                if counts[i, k] < counts[i, least]:
                    least = k
            if found[i, least] != key:
                found[i, least] = key
                counts[i, least] = 0
            counts[i, least] += 1


def count(keys: NDArray[np.uint64], found: NDArray[np.uint64], counts: NDArray[np.uint16]) -> None:
    """Count the key of each pixel of one draw.

    Parameters
    ----------
    keys : uint64 (n,)
        Whose each pixel is; 0 for nobody's.
    found : uint64 (n, k)
        The keys that are counted, changed in place. Where more than k meet in a pixel, the rarest gives way.
    counts : uint16 (n, k)
        How often each was there, changed in place; 0 where there is none.
    """
    _count(keys, found, counts)


@parallel_kernel
def _rank(found, counts):
    n, slots = found.shape
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            for k in range(1, slots):
                if counts[i, k] == 0:
                    break
                key, times = found[i, k], counts[i, k]
                at = k
                while at > 0 and counts[i, at - 1] < times:
                    found[i, at], counts[i, at] = found[i, at - 1], counts[i, at - 1]
                    at -= 1
                found[i, at], counts[i, at] = key, times


def rank(found: NDArray[np.uint64], counts: NDArray[np.uint16]) -> None:
    """Sort the keys of each pixel by how often they were there, in place, the most frequent one first."""
    _rank(found, counts)
