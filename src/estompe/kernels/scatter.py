"""Places scattered over a surface in an order every beginning of which is even, and following them as the surface moves."""

import math

import numpy as np
from numpy.typing import NDArray

from estompe.kernels import BLOCK
from estompe.kernels.cells import cell_of
from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, Matrix, read_only

_SHRINK = 2**-0.125
"""By how much the radius shrinks from round to round."""
_TRIES = 12.0
"""Candidates for each place that fits."""
_U64 = np.uint64
_GOLDEN, _OTHER = 0.6180339887498949, 0.3819660112501051


@inlined
def _hashed(i, seed):
    """An even random number 0..1 for a number and a seed (Steele, Lea and Flood 2014, doi:10.1145/2660193.2660195)."""
    bits = _U64(i) + _U64(seed) * _U64(0x9E3779B97F4A7C15)
    bits = (bits + _U64(0x9E3779B97F4A7C15)) * _U64(0xBF58476D1CE4E5B9)
    bits ^= bits >> _U64(30)
    bits *= _U64(0xBF58476D1CE4E5B9)
    bits ^= bits >> _U64(27)
    bits *= _U64(0x94D049BB133111EB)
    bits ^= bits >> _U64(31)
    return (bits >> _U64(11)) * (1.0 / 9007199254740992.0)


@kernel
def _candidates(points, triangles, sums, seed, owner, shares, places):
    last = sums.shape[0] - 1
    for i in range(owner.shape[0]):
        # The golden ratio steps evenly through the area whatever the count.
        x = ((i + 1) * _GOLDEN + seed * _OTHER) % 1.0 * sums[last]
        low, high = 0, last
        while low < high:
            middle = (low + high) >> 1
            if sums[middle] < x:
                low = middle + 1
            else:
                high = middle
        u, v = math.sqrt(_hashed(2 * i, seed)), _hashed(2 * i + 1, seed)
        a, b, c = 1.0 - u, u * (1.0 - v), u * v
        owner[i] = low
        shares[i, 0], shares[i, 1], shares[i, 2] = a, b, c
        for j in range(3):
            places[i, j] = (
                a * points[triangles[low, 0], j] + b * points[triangles[low, 1], j] + c * points[triangles[low, 2], j]
            )


def candidates(
    points: Floats, triangles: Indices, sums: Matrix, count: int, seed: int
) -> tuple[Indices, Floats, Matrix]:
    """Random places by area; what a candidate is does not depend on how many there are.

    points: float32 (n, 3); triangles: int32 (t, 3); sums: float64 (t,), running sum of areas. Returns the triangle of each,
    int32 (count,), its shares of the corners, float32 (count, 3), and where it lies, float64 (count, 3).
    """
    owner, shares = np.empty(count, np.int32), np.empty((count, 3), np.float32)
    places = np.empty((count, 3))
    _candidates(read_only(points), read_only(triangles), sums, seed, owner, shares, places)
    return owner, shares, places


@kernel
def _ranked(places, size, dimension, wanted, least, order, radius):
    """Dart throwing with radii that shrink; one that failed waits until the radius is below what stood in its way."""
    n = places.shape[0]
    taken = np.zeros(n, np.bool_)
    near = np.full(n, np.float32(1e30), np.float32)
    following = np.empty(n, np.int32)
    most = 64
    while most < 2 * wanted:
        most *= 2
    head = np.empty(most, np.int32)
    k = 0
    r = size
    while k < wanted and r >= least:
        fit = (size / r) ** dimension
        tried = min(n, int(_TRIES * fit) + 64)
        over, square = 1.0 / r, r * r
        cells = 64
        while cells < 2 * fit and cells < most:
            cells *= 2
        mask = cells - 1
        head[:cells] = -1
        for q in range(k):
            i = order[q]
            h = cell_of(
                math.floor(places[i, 0] * over),
                math.floor(places[i, 1] * over),
                math.floor(places[i, 2] * over),
                mask,
            )
            following[i] = head[h]
            head[h] = i
        for i in range(tried):
            if taken[i] or near[i] < r:
                continue
            x, y, z = places[i, 0], places[i, 1], places[i, 2]
            cx, cy, cz = math.floor(x * over), math.floor(y * over), math.floor(z * over)
            free = True
            for step in range(27):
                j = head[cell_of(cx + step % 3 - 1, cy + step // 3 % 3 - 1, cz + step // 9 - 1, mask)]
                while j >= 0:
                    a, b, c = places[j, 0] - x, places[j, 1] - y, places[j, 2] - z
                    apart = a * a + b * b + c * c
                    if apart < square:
                        free = False
                        near[i] = np.float32(math.sqrt(apart))
                        break
                    j = following[j]
                if not free:
                    break
            if free:
                taken[i] = True
                order[k], radius[k] = i, r
                h = cell_of(cx, cy, cz, mask)
                following[i] = head[h]
                head[h] = i
                k += 1
                if k >= wanted:
                    break
        if tried == n and (k == 0 or fit > n):
            break
        r *= _SHRINK
    return k


def ranked(places: Matrix, measure: float, dimension: int, wanted: int, least: float) -> tuple[Indices, Floats]:
    """Candidates in an order of which every beginning is even: their numbers, int32 (k,), and the distance each keeps.

    places: float64 (n, 3); measure: the area (dimension 2) or volume (3) they lie in; wanted: at most so many; least: the
    smallest distance. After Bridson's and McCool and Fiume's dart throwing with shrinking radii ("Hierarchical Poisson disk
    sampling distributions", 1992).
    """
    order, radius = np.empty(max(wanted, 0), np.int32), np.empty(max(wanted, 0), np.float32)
    if not wanted or not len(places) or measure <= 0.0:
        return order[:0], radius[:0]
    # Of darts at a distance r about 0.75 measures over r^2, or over r^3, fit.
    size = (0.75 * measure) ** (1.0 / dimension)
    k = _ranked(places, size, dimension, wanted, least, order, radius)
    return order[:k], radius[:k]


@parallel_kernel
def _followed(points, normals, triangles, owner, shares, positions, directions, alongs):
    n = owner.shape[0]
    for block in prange((n + BLOCK - 1) // BLOCK):
        for i in range(block * BLOCK, min(n, (block + 1) * BLOCK)):
            t = _U64(owner[i])
            p, q, r = _U64(triangles[t, 0]), _U64(triangles[t, 1]), _U64(triangles[t, 2])
            a, b, c = shares[i, 0], shares[i, 1], shares[i, 2]
            for j in range(3):
                positions[i, j] = a * points[p, j] + b * points[q, j] + c * points[r, j]
                directions[i, j] = a * normals[p, j] + b * normals[q, j] + c * normals[r, j]
                alongs[i, j] = points[q, j] - points[p, j]


def followed(
    points: Floats, normals: Floats, triangles: Indices, owner: Indices, shares: Floats
) -> tuple[Floats, Floats, Floats]:
    """Where places on triangles are now, the normal there and an edge of the triangle, three float32 (k, 3)."""
    made = tuple(np.empty((len(owner), 3), np.float32) for _ in range(3))
    _followed(read_only(points), read_only(normals), read_only(triangles), read_only(owner), read_only(shares), *made)
    return made  # type: ignore[return-value]


def areas_of(points: NDArray[np.floating], triangles: Indices) -> Matrix:
    """The areas of triangles, float64 (t,)."""
    a, b, c = (points[triangles[:, k]].astype(np.float64) for k in range(3))
    return np.asarray(np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2)
