"""The surface of a volume as quads: one vertex for each patch of surface in a cell, so that two sheets in one cell stay apart.

The dual of marching cubes (Nielson, "Dual marching cubes" (2004), doi:10.1109/VISUAL.2004.28). Where two cells doubt their common
face both turn it, so that every edge is used exactly twice, once each way, whatever the values are.
"""

import functools
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, inner, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices
from estompe.kernels.volumes.bricks import CELLS, Bricks, load, slot_at

# Four edges along x at (y, z) = 00 10 01 11, then along y at (x, z), then along z at (x, y): their ends as corner numbers.
_EDGES = (
    [(2 * a + 4 * b, 1 + 2 * a + 4 * b) for b in (0, 1) for a in (0, 1)]
    + [(a + 4 * b, a + 2 + 4 * b) for b in (0, 1) for a in (0, 1)]
    + [(a + 2 * b, a + 2 * b + 4) for b in (0, 1) for a in (0, 1)]
)


_INSIDE = np.float32(-3e-5)
"""Below this a value is inside: a flat side that lies on voxels must not be torn to and fro by the last bits."""


def _faces() -> list[list[int]]:
    faces = []
    for axis in range(3):
        u, v = (axis + 1) % 3, (axis + 2) % 3
        for side in (0, 1):
            faces.append([side << axis | a << u | b << v for a, b in ((0, 0), (1, 0), (1, 1), (0, 1))])
    return faces


def _patches(case: int, turned: int) -> tuple[dict[int, int], int, list[int]]:
    """Which patch each crossed edge belongs to, how many there are, and doubtful faces both of whose lines are of one patch."""
    edge_of = {frozenset(ends): number for number, ends in enumerate(_EDGES)}
    inside = [case >> corner & 1 for corner in range(8)]
    root = {number: number for number, (a, b) in enumerate(_EDGES) if inside[a] != inside[b]}

    def find(number: int) -> int:
        while root[number] != number:
            number = root[number]
        return number

    lines: dict[int, list[int]] = {}
    for face, ring in enumerate(_faces()):
        crossed = [edge_of[frozenset((ring[k], ring[(k + 1) % 4]))] for k in range(4)]
        here = [edge for edge in crossed if edge in root]
        if len(here) == 2:
            root[find(here[0])] = find(here[1])
        elif len(here) == 4:
            # Inside corners across from each other stay by themselves; on a turned face, outside ones.
            lines[face] = []
            for k in range(4):
                if inside[ring[k]] == (0 if face == turned else 1):
                    root[find(crossed[k])] = find(crossed[k - 1])
                    lines[face].append(crossed[k])
    names: dict[int, int] = {}
    for number in root:
        names.setdefault(find(number), len(names))
    shared = [face for face, (a, b) in lines.items() if find(a) == find(b)]
    return {number: names[find(number)] for number in root}, len(names), shared


@functools.cache
def _tables() -> tuple[NDArray[np.int8], NDArray[np.uint8], NDArray[np.int8]]:
    """Patches of the 256 cases, then of the same with their one doubtful face turned; how many; and that face, or -1."""
    patch, count, turn = np.full((512, 12), -1, np.int8), np.zeros(512, np.uint8), np.full(256, -1, np.int8)
    for case in range(256):
        found, patches, shared = _patches(case, -1)
        for edge, name in found.items():
            patch[case, edge] = name
        count[case] = patches
        if shared:
            turn[case] = shared[0]
            found, patches, shared = _patches(case, shared[0])
            for edge, name in found.items():
                patch[case + 256, edge] = name
            count[case + 256] = patches
    return patch, count, turn


_PAIRS = np.array(_EDGES, np.int8)


@parallel_kernel
def _classify(table, where, values, most, code, busy):
    width = 9
    for s in prange(where.shape[0]):
        block = np.empty(width * width * width, np.float32)
        inside = np.empty(width * width * width, np.uint8)
        load(table, values, where[s, 0], where[s, 1], where[s, 2], most, 0, 1, block)
        total = 0
        for i in range(width * width * width):
            negative = np.uint8(block[i] < _INSIDE)
            inside[i] = negative
            total += np.int32(negative)
        busy[s] = total != 0 and total != width * width * width
        for i in range(512):
            code[s, i] = np.uint16(0)
        if not busy[s]:
            continue
        for z in range(8):
            for y in range(8):
                p, at = (z * width + y) * width, (z * 8 + y) * 8
                for x in range(8):
                    r = np.uint64(p + x)
                    low = inside[r] | (inside[r + np.uint64(1)] << 1) | (inside[r + np.uint64(9)] << 2)
                    low |= inside[r + np.uint64(10)] << 3
                    high = (inside[r + np.uint64(81)] << 4) | (inside[r + np.uint64(82)] << 5)
                    high |= (inside[r + np.uint64(90)] << 6) | (inside[r + np.uint64(91)] << 7)
                    k = np.uint8(low | high)
                    code[s, at + x] = np.uint16(0 if k == 255 else k)


@inlined
def _across(face, z, y, x):
    """The cell on the other side of a cell's face."""
    step = 1 if face & 1 else -1
    if face < 2:
        return z, y, x + step
    if face < 4:
        return z, y + step, x
    return z + step, y, x


@parallel_kernel
def _number(table, where, busy, counts, turn, code, local, vertices, quads):
    """Where two cells doubt their common face, both turn it; then vertices and quads are counted."""
    for s in prange(where.shape[0]):
        v, q = 0, 0
        for at in range(512 if busy[s] else 0):
            k = code[s, at] & 255
            if k == 0:
                continue
            face = turn[k]
            if face >= 0:
                z, y, x = where[s, 0] * 8 + (at >> 6), where[s, 1] * 8 + (at >> 3 & 7), where[s, 2] * 8 + (at & 7)
                z, y, x = _across(face, z, y, x)
                n = slot_at(table, z, y, x)
                if n >= 0 and turn[code[n, ((z & 7) * 8 + (y & 7)) * 8 + (x & 7)] & 255] == (face ^ 1):
                    code[s, at] = np.uint16(k + 256)
            local[s, at] = v
            v += counts[code[s, at]]
            first = k & 1
            q += int((k >> 1 & 1) != first) + int((k >> 2 & 1) != first) + int((k >> 4 & 1) != first)
        vertices[s], quads[s] = v, q


@inlined
def _trilinear(block, width, p, fx, fy, fz):
    """Value and gradient in the cell whose first corner is p."""
    a, b, c, d = block[p], block[p + 1], block[p + width], block[p + width + 1]
    q = p + width * width
    e, f, g, h = block[q], block[q + 1], block[q + width], block[q + width + 1]
    ab, cd, ef, gh = a + fx * (b - a), c + fx * (d - c), e + fx * (f - e), g + fx * (h - g)
    low, high = ab + fy * (cd - ab), ef + fy * (gh - ef)
    gz = high - low
    gy = (cd - ab) + fz * ((gh - ef) - (cd - ab))
    xa, xc, xe, xg = b - a, d - c, f - e, h - g
    xl, xh = xa + fy * (xc - xa), xe + fy * (xg - xe)
    return low + fz * gz, xl + fz * (xh - xl), gy, gz


@kernel
def _slope(block, width, p, fx, fy, fz):
    """The gradient by differences over two voxels, mixed between the cell's corners."""
    one = np.float32(1.0)
    gx, gy, gz = np.float32(0.0), np.float32(0.0), np.float32(0.0)
    for c in range(8):
        dx, dy, dz = c & 1, c >> 1 & 1, c >> 2 & 1
        w = (fx if dx else one - fx) * (fy if dy else one - fy) * (fz if dz else one - fz)
        q = p + (dz * width + dy) * width + dx
        gx += w * (block[q + 1] - block[q - 1])
        gy += w * (block[q + width] - block[q - width])
        gz += w * (block[q + width * width] - block[q - width * width])
    return gx, gy, gz


@inlined
def _crossed_sums(block, width, p):
    """Where the surface crosses the edges of a cell that it goes through once: sums of x, y, z, and how many."""
    v0, v1, v2, v3 = block[p], block[p + 1], block[p + width], block[p + width + 1]
    q = p + width * width
    w0, w1, w2, w3 = block[q], block[q + 1], block[q + width], block[q + width + 1]
    sx, sy, sz, m = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
    i0, i1, i2, i3 = v0 < _INSIDE, v1 < _INSIDE, v2 < _INSIDE, v3 < _INSIDE
    j0, j1, j2, j3 = w0 < _INSIDE, w1 < _INSIDE, w2 < _INSIDE, w3 < _INSIDE
    if i0 != i1:
        sx += v0 / (v0 - v1)
        m += np.float32(1.0)
    if i2 != i3:
        sx += v2 / (v2 - v3)
        sy += np.float32(1.0)
        m += np.float32(1.0)
    if j0 != j1:
        sx += w0 / (w0 - w1)
        sz += np.float32(1.0)
        m += np.float32(1.0)
    if j2 != j3:
        sx += w2 / (w2 - w3)
        sy += np.float32(1.0)
        sz += np.float32(1.0)
        m += np.float32(1.0)
    if i0 != i2:
        sy += v0 / (v0 - v2)
        m += np.float32(1.0)
    if i1 != i3:
        sy += v1 / (v1 - v3)
        sx += np.float32(1.0)
        m += np.float32(1.0)
    if j0 != j2:
        sy += w0 / (w0 - w2)
        sz += np.float32(1.0)
        m += np.float32(1.0)
    if j1 != j3:
        sy += w1 / (w1 - w3)
        sx += np.float32(1.0)
        sz += np.float32(1.0)
        m += np.float32(1.0)
    if i0 != j0:
        sz += v0 / (v0 - w0)
        m += np.float32(1.0)
    if i1 != j1:
        sz += v1 / (v1 - w1)
        sx += np.float32(1.0)
        m += np.float32(1.0)
    if i2 != j2:
        sz += v2 / (v2 - w2)
        sy += np.float32(1.0)
        m += np.float32(1.0)
    if i3 != j3:
        sz += v3 / (v3 - w3)
        sx += np.float32(1.0)
        sy += np.float32(1.0)
        m += np.float32(1.0)
    return sx, sy, sz, m


@parallel_kernel
def _vertices(table, where, values, most, code, local, first, patch, counts, pairs, places, normals, cells):
    width = 11
    zero, one = np.float32(0.0), np.float32(1.0)
    for s in prange(where.shape[0]):
        if first[s + 1] == first[s]:
            continue
        block = np.empty(width * width * width, np.float32)
        load(table, values, where[s, 0], where[s, 1], where[s, 2], most, 1, 2, block)
        sums = np.empty((4, 4), np.float32)
        for at in range(512):
            k = code[s, at]
            if k == 0:
                continue
            z, y, x = at >> 6, at >> 3 & 7, at & 7
            p = ((z + 1) * width + y + 1) * width + x + 1
            patches = counts[k]
            if patches == 1:
                sums[0, 0], sums[0, 1], sums[0, 2], sums[0, 3] = _crossed_sums(block, width, p)
            else:
                sums[:] = zero
            for e in range(12 if patches > 1 else 0):
                m = patch[k, e]
                if m < 0:
                    continue
                i, j = pairs[e, 0], pairs[e, 1]
                va = block[p + ((i >> 2) * width + (i >> 1 & 1)) * width + (i & 1)]
                vb = block[p + ((j >> 2) * width + (j >> 1 & 1)) * width + (j & 1)]
                t = va / (va - vb)
                sums[m, 0] += np.float32(i & 1) + t * np.float32((j & 1) - (i & 1))
                sums[m, 1] += np.float32(i >> 1 & 1) + t * np.float32((j >> 1 & 1) - (i >> 1 & 1))
                sums[m, 2] += np.float32(i >> 2) + t * np.float32((j >> 2) - (i >> 2))
                sums[m, 3] += one
            bx, by, bz = (
                np.float32(where[s, 2] * 8 + x),
                np.float32(where[s, 1] * 8 + y),
                np.float32(where[s, 0] * 8 + z),
            )
            for m in range(patches):
                over = one / sums[m, 3]
                fx, fy, fz = sums[m, 0] * over, sums[m, 1] * over, sums[m, 2] * over
                if patches == 1:
                    v, gx, gy, gz = _trilinear(block, width, p, fx, fy, fz)
                    g = v / max(gx * gx + gy * gy + gz * gz, np.float32(0.05))
                    fx = min(max(fx - g * gx, zero), one)
                    fy = min(max(fy - g * gy, zero), one)
                    fz = min(max(fz - g * gz, zero), one)
                n = first[s] + local[s, at] + m
                cells[n] = np.int32(s * 512 + at)
                places[n, 0], places[n, 1], places[n, 2] = bx + fx, by + fy, bz + fz
                gx, gy, gz = _slope(block, width, p, fx, fy, fz)
                length = one / max(np.sqrt(gx * gx + gy * gy + gz * gz), np.float32(1e-20))
                normals[n, 0], normals[n, 1], normals[n, 2] = gx * length, gy * length, gz * length


# The four cells around an edge from a corner along x, y and z: their z, y and x from there, and which of their edges it is.
_AROUND = np.array(
    [
        [(-1, -1, 0, 3), (-1, 0, 0, 2), (0, 0, 0, 0), (0, -1, 0, 1)],
        [(-1, 0, -1, 7), (0, 0, -1, 5), (0, 0, 0, 4), (-1, 0, 0, 6)],
        [(0, -1, -1, 11), (0, -1, 0, 10), (0, 0, 0, 8), (0, 0, -1, 9)],
    ]
)


@inner
def _vertex(table, code, local, first, patch, z, y, x, edge):
    """The vertex that a cell has for one of its edges; -1 where the cell is not stored."""
    slot = slot_at(table, z, y, x)
    if slot < 0:
        return np.int32(-1)
    s, at = np.uint64(slot), np.uint64(((z & 7) * 8 + (y & 7)) * 8 + (x & 7))
    return np.int32(first[s] + local[s, at] + patch[code[s, at], edge])


@parallel_kernel
def _quads(table, where, code, local, first, first_quad, patch, out):
    for s in prange(where.shape[0]):
        n = first_quad[s]
        for at in range(512 if first_quad[s + 1] > n else 0):
            k = code[s, at] & 255
            if k == 0:
                continue
            z, y, x = where[s, 0] * 8 + (at >> 6), where[s, 1] * 8 + (at >> 3 & 7), where[s, 2] * 8 + (at & 7)
            inside = k & 1
            for axis in range(3):
                if (k >> (1 << axis) & 1) == inside:
                    continue
                for corner in range(4):
                    cell = _AROUND[axis, corner]
                    # Seen from outside the ring runs counter-clockwise, whichever end of the edge is inside.
                    out[n, corner if inside else (4 - corner) & 3] = _vertex(
                        table, code, local, first, patch, z + cell[0], y + cell[1], x + cell[2], cell[3]
                    )
                n += 1


class Surface(NamedTuple):
    """places: float32 (n, 3), x y z in voxels from the lattice's first; normals: float32 (n, 3), unit; quads: int32 (q, 4);
    cells: int32 (n,), slot * 512 + place within the brick, of the cell that each vertex lies in."""

    places: Floats
    normals: Floats
    quads: Indices
    cells: Indices


def surface(bricks: Bricks) -> Surface:
    """Where the values pass zero, every edge used by exactly two quads. O(voxels stored).

    Raises ValueError where the surface leaves the bricks that are stored.
    """
    patch, count, turn = _tables()
    slots, most = len(bricks.where), np.float32(bricks.most)
    table, where, values = bricks.given
    code, local = np.empty((slots, CELLS), np.uint16), np.empty((slots, CELLS), np.int16)
    vertices, quads = np.zeros(slots, np.int64), np.zeros(slots, np.int64)
    busy = np.empty(slots, np.bool_)
    _classify(table, where, values, most, code, busy)
    _number(table, where, busy, count, turn, code, local, vertices, quads)
    first, first_quad = (np.concatenate([[0], np.cumsum(counts)]) for counts in (vertices, quads))
    made = Surface(
        np.empty((int(first[-1]), 3), np.float32),
        np.empty((int(first[-1]), 3), np.float32),
        np.empty((int(first_quad[-1]), 4), np.int32),
        np.empty(int(first[-1]), np.int32),
    )
    tables = patch, count, _PAIRS
    _vertices(table, where, values, most, code, local, first, *tables, made.places, made.normals, made.cells)
    _quads(table, where, code, local, first, first_quad, patch, made.quads)
    if len(made.quads) and made.quads.min() < 0:
        raise ValueError("the surface leaves the voxels that are stored")
    return made
