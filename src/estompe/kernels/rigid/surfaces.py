"""Contacts with shapes: places on bodies near a surface, taken together where they face alike."""

import numpy as np

from estompe.kernels.compile import inner, parallel_kernel, prange
from estompe.kernels.rigid.hull_pairs import MOST_CORNERS, four_of, scratch

CONTACTS = 3
"""How many contacts a body has with one shape at most, each with a normal of its own."""
_ALIKE = 0.9


@inner
def _contacts_of_body(k, starts, places, outwards, gaps, reach, touches, room):
    """Fill in the contacts of one body."""
    first, count = starts[k], min(starts[k + 1] - starts[k], MOST_CORNERS)
    used = np.zeros(count, np.bool_)
    for slot in range(CONTACTS * k, CONTACTS * (k + 1)):
        deepest = -1
        for i in range(count):
            nearer = deepest < 0 or gaps[first + i] < gaps[first + deepest]
            if not used[i] and gaps[first + i] < reach[k] and nearer:
                deepest = i
        if deepest < 0:
            return
        nx, ny, nz = outwards[first + deepest, 0], outwards[first + deepest, 1], outwards[first + deepest, 2]
        near = np.int64(0)
        for i in range(count):
            p = first + i
            along = nx * outwards[p, 0] + ny * outwards[p, 1] + nz * outwards[p, 2]
            if used[i] or gaps[p] >= reach[k] or along < _ALIKE:
                continue
            used[i] = True
            room.gaps[near] = gaps[p]
            room.places[near, 0] = places[p, 0] - 0.5 * gaps[p] * nx
            room.places[near, 1] = places[p, 1] - 0.5 * gaps[p] * ny
            room.places[near, 2] = places[p, 2] - 0.5 * gaps[p] * nz
            near += 1
        room.normal[0], room.normal[1], room.normal[2] = -nx, -ny, -nz
        touches.normals[slot, 0], touches.normals[slot, 1], touches.normals[slot, 2] = -nx, -ny, -nz
        touches.counts[slot] = four_of(room, near, touches, slot)


@parallel_kernel
def contacts_with_surface(starts, places, outwards, gaps, reach, touches):
    """Fill in the contacts of bodies with one surface, `CONTACTS` slots for each body.

    Parameters
    ----------
    starts : int64 (m + 1,)
        Which places belong to which body.
    places, outwards, gaps : float64 (p, 3), float64 (p, 3), float64 (p,)
        In the world: places on the bodies, unit vectors out of the surface there, and distances from it, negative inside.
    reach : float64 (m,)
        How near counts as touching.
    touches : Touches
        Changed in place; normals look from the body into the shape.
    """
    total = starts.shape[0] - 1
    for k in prange(total):
        _contacts_of_body(k, starts, places, outwards, gaps, reach, touches, scratch())
