"""Contacts as the small steps need them: in colours, with arms, inverse masses and the impulses that were there before."""

import numpy as np

from estompe.kernels.compile import inner, kernel, parallel_kernel, prange
from estompe.kernels.rigid.arrays import PAIR
from estompe.kernels.rigid.turning import matrix_into, passing, turned_back, yielding

_BLOCK = 64
_COLOURS = 63


@kernel
def colours_of(pairs, moves):
    """A colour for each pair, int32 (m,), so that pairs of one colour share no body that moves; the last is for all that is left.

    pairs: int32 (m, 2); moves: bool (n,).
    """
    used, colours = np.zeros(moves.shape[0], np.uint64), np.empty(pairs.shape[0], np.int32)
    for k in range(pairs.shape[0]):
        a, b = pairs[k, 0], pairs[k, 1]
        taken = np.uint64(0)
        if moves[a]:
            taken |= used[a]
        if moves[b]:
            taken |= used[b]
        colour = 0
        while colour < _COLOURS and (taken >> np.uint64(colour)) & np.uint64(1):
            colour += 1
        bit = np.uint64(1) << np.uint64(colour)
        colours[k] = colour
        used[a] |= bit
        used[b] |= bit
    return colours


@parallel_kernel
def turn_inertia(bodies, inverse_own):
    """Fill in the inverse inertia in the world. inverse_own: float64 (n, 3, 3), in each body's own space."""
    n, inertia = bodies.weight.shape[0], bodies.inertia
    for block in prange((n + _BLOCK - 1) // _BLOCK):
        turn = np.empty((3, 3))
        for k in range(block * _BLOCK, min(n, (block + 1) * _BLOCK)):
            if bodies.weight[k] == 0.0:
                inertia[k] = 0.0
                continue
            matrix_into(bodies.rotation, k, turn)
            for i in range(3):
                for j in range(3):
                    total = 0.0
                    for m in range(3):
                        for o in range(3):
                            total += turn[i, m] * inverse_own[k, m, o] * turn[j, o]
                    inertia[k, i, j] = total


@inner
def _axes_into(axes, k, nx, ny, nz):
    """The normal and two directions across it."""
    if abs(nx) > 0.57735:
        px, py, pz = ny, -nx, 0.0
    else:
        px, py, pz = 0.0, nz, -ny
    by = 1.0 / np.sqrt(px * px + py * py + pz * pz)
    px, py, pz = px * by, py * by, pz * by
    axes[k, 0, 0], axes[k, 0, 1], axes[k, 0, 2] = nx, ny, nz
    axes[k, 1, 0], axes[k, 1, 1], axes[k, 1, 2] = px, py, pz
    axes[k, 2, 0], axes[k, 2, 1], axes[k, 2, 2] = ny * pz - nz * py, nz * px - nx * pz, nx * py - ny * px


@inner
def _take_over(contacts, k, m, before, slot, near, x, y, z):
    """The impulse of the nearest place that the contact had before. x, y, z: the place in the body's own space."""
    nearest, best = near * near, -1
    for o in range(4):
        place = before.places[slot, o]
        far = (place[0] - x) ** 2 + (place[1] - y) ** 2 + (place[2] - z) ** 2
        if far < nearest:
            nearest, best = far, o
    if best < 0:
        return
    value, axes, impulses = before.values[slot, best], contacts.axes, contacts.impulses
    impulses[k, m, 0] = value[0]
    for i in range(1, 3):
        impulses[k, m, i] = value[1] * axes[k, i, 0] + value[2] * axes[k, i, 1] + value[3] * axes[k, i, 2]


@parallel_kernel
def prepare(contacts, normals, places, bodies, gravity, before, near, own_places):
    """Fill in contacts: axes, arms, inverse masses, how fast they close, and impulses.

    Parameters
    ----------
    contacts : Contacts
        Changed in place.
    normals, places : float64 (m, 3), float64 (m, 4, 3)
        As they were found, in the world.
    bodies : Bodies
    gravity : float64 (3,)
    before : Impulses
    near : float
        How far a place may have moved on a body and still be the same one, scene units.
    own_places : float64 (m, 4, 3)
        Gets the places in the first body's own space, of the second's where only that moves.
    """
    total = contacts.pairs.shape[0]
    x, weight, arms = bodies.position, bodies.weight, contacts.arms
    give, closings, gaps = contacts.give, contacts.closing, contacts.gaps
    for block in prange((total + _BLOCK - 1) // _BLOCK):
        for k in range(block * _BLOCK, min(total, (block + 1) * _BLOCK)):
            a, b = contacts.pairs[k, 0], contacts.pairs[k, 1]
            nx, ny, nz = normals[k, 0], normals[k, 1], normals[k, 2]
            _axes_into(contacts.axes, k, nx, ny, nz)
            key = np.int64(a) * PAIR + b
            slot = np.searchsorted(before.keys, key)
            known = slot < before.keys.shape[0] and before.keys[slot] == key
            for m in range(contacts.counts[k]):
                for i in range(3):
                    arms[k, m, i] = places[k, m, i] - x[a, i]
                    arms[k, m, 3 + i] = places[k, m, i] - x[b, i]
                ax, ay, az = arms[k, m, 0], arms[k, m, 1], arms[k, m, 2]
                bx, by, bz = arms[k, m, 3], arms[k, m, 4], arms[k, m, 5]
                for i in range(3):
                    dx, dy, dz = contacts.axes[k, i, 0], contacts.axes[k, i, 1], contacts.axes[k, i, 2]
                    yields = yielding(bodies, a, ax, ay, az, dx, dy, dz) + yielding(bodies, b, bx, by, bz, dx, dy, dz)
                    give[k, m, i] = 1.0 / yields if yields > 0.0 else 0.0
                vx, vy, vz = passing(bodies, a, b, ax, ay, az, bx, by, bz)
                closing = vx * nx + vy * ny + vz * nz
                if closing < 0.0 and gaps[k, m] > 0.0 and (weight[a] == 0.0 or weight[b] == 0.0):
                    # As fast as it will be where they meet.
                    sign = -1.0 if weight[a] == 0.0 else 1.0
                    down = gravity[0] * nx + gravity[1] * ny + gravity[2] * nz
                    closing = -np.sqrt(max(closing * closing + 2.0 * gaps[k, m] * sign * down, 0.0))
                closings[k, m] = closing
                ox, oy, oz = turned_back(bodies.rotation, a, ax, ay, az)
                if weight[a] == 0.0 and weight[b] > 0.0:
                    ox, oy, oz = turned_back(bodies.rotation, b, bx, by, bz)
                own_places[k, m, 0], own_places[k, m, 1], own_places[k, m, 2] = ox, oy, oz
                if known:
                    _take_over(contacts, k, m, before, slot, near, ox, oy, oz)
