"""Small steps of cloth: edges that keep their lengths, folds that resist, and groups above them that carry loads in few steps.

Extended position-based dynamics in small steps (Macklin, Müller and Chentanez 2016, doi:10.1145/2994258.2994272; Macklin et al.
2019, doi:10.1145/3309486.3340247), with nested groups of points whose centres may not be farther apart than at rest, solved
coarse to fine before the edges (Müller 2008, "Hierarchical position based dynamics", doi:10.2312/PE/vriphys/vriphys08/001-010),
here with smooth weights. Constraints stand in blocks of one colour that share no point, so results do not depend on the number
of threads.

A point that may tear is there once for each patch beside it. Copies that still hold together share a *particle*: the copy that
`stands_for` them. A particle's row holds its position and its inverse mass, 0 where it is held.
"""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.heap import entered, first_taken
from estompe.kernels.types import Floats, Indices, read_only

_CHUNK = 2048
_SPAN = 8192


class Steps(NamedTuple):
    """The number of small steps, and the seconds of each."""

    number: int
    second: np.float32


class Air(NamedTuple):
    """push: accelerations, float32 (n, 3); drag: a second; damping: the speed that is left after a small step."""

    push: Floats
    drag: np.float32
    damping: np.float32


class Held(NamedTuple):
    """Held particles at the begin and the end of the frame, float32 (n, 3), and the part of the way there, 0..1."""

    begin: Floats
    end: Floats
    reached_from: np.float32
    reached_to: np.float32


class Constraints(NamedTuple):
    """Edges and folds in blocks of one colour. ends: int32 (e, 2); lengths: float32 (e,); kinds: `EDGE` or `FOLD`, uint8 (e,).

    block_starts: of the blocks in the constraints; colour_starts: of the colours in the blocks; give, fold_give: compliances.
    """

    ends: Indices
    lengths: Floats
    kinds: NDArray[np.uint8]
    block_starts: Indices
    colour_starts: Indices
    give: np.float32
    fold_give: np.float32


class Welds(NamedTuple):
    """The copies of points. starts: of each point's copies; weld: the point of a copy; stands_for: its particle; share: of the
    point's area, float32 (n,); mass: of each particle, float32 (n,)."""

    starts: Indices
    weld: Indices
    stands_for: Indices
    share: Floats
    mass: Floats


class Levels(NamedTuple):
    """Three levels of groups, each as nine arrays, and how far pairs of the finest may stretch."""

    fine: tuple[NDArray[Any], ...]
    middle: tuple[NDArray[Any], ...]
    coarse: tuple[NDArray[Any], ...]
    slack: np.float32


class Tethers(NamedTuple):
    """The held particle that a particle is tied to, int32 (n,), -1 for none, and the way to it along the cloth, float32 (n,)."""

    anchors: Indices
    reach: Floats


class Mending(NamedTuple):
    """Edges longer than a limit, times their length, are brought back in so many rounds, listed anew every so many steps."""

    limit: np.float32
    rounds: int
    every: int


EDGE, FOLD = np.uint8(0), np.uint8(1)


@inlined
def _gathered(places, starts, members, weights, first, last, centres, kept):
    """Weighted middles of groups."""
    for k in range(first, last):
        x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
        for m in range(starts[k], starts[k + 1]):
            p = np.uint64(members[m])
            w = weights[m]
            x += w * places[p, 0]
            y += w * places[p, 1]
            z += w * places[p, 2]
        centres[k, 0], centres[k, 1], centres[k, 2] = x, y, z
        kept[k, 0], kept[k, 1], kept[k, 2] = x, y, z


@inlined
def _limited(places, inverse, i, j, most):
    """Two places not farther from each other than they may be; nearer they may be, so that folds are free."""
    dx = places[i, 0] - places[j, 0]
    dy = places[i, 1] - places[j, 1]
    dz = places[i, 2] - places[j, 2]
    squared = dx * dx + dy * dy + dz * dz
    both = inverse[i] + inverse[j]
    if squared > most * most and both > np.float32(0.0):
        length = np.sqrt(squared)
        share = (length - most) / (both * length)
        a, b = inverse[i] * share, inverse[j] * share
        places[i, 0] -= a * dx
        places[i, 1] -= a * dy
        places[i, 2] -= a * dz
        places[j, 0] += b * dx
        places[j, 1] += b * dy
        places[j, 2] += b * dz


@inlined
def _bounded(centres, inverse, edges, lengths, slack, rounds):
    """All pairs of centres within their limits, one after the other, there and back."""
    count = edges.shape[0]
    for turn in range(rounds):
        for number in range(count):
            e = number if turn % 2 == 0 else count - 1 - number
            _limited(centres, inverse, np.uint64(edges[e, 0]), np.uint64(edges[e, 1]), lengths[e] * slack)


@inlined
def _handed_down(centres, inverse, starts, groups, weights, above, above_kept):
    """Centres moved by what the groups above them were moved by."""
    for p in range(centres.shape[0]):
        if inverse[p] > np.float32(0.0):
            for m in range(starts[p], starts[p + 1]):
                k, w = groups[m], weights[m]
                for axis in range(3):
                    centres[p, axis] += w * (above[k, axis] - above_kept[k, axis])


@inlined
def _kept_length(particles, ends, lengths, kinds, inverse, first, last):
    """Edges of their length, folds not nearer than theirs."""
    for e in range(first, last):
        i, j = np.uint64(ends[e, 0]), np.uint64(ends[e, 1])
        dx = particles[i, 0] - particles[j, 0]
        dy = particles[i, 1] - particles[j, 1]
        dz = particles[i, 2] - particles[j, 2]
        squared = dx * dx + dy * dy + dz * dz
        if kinds[e] == FOLD and squared >= lengths[e] * lengths[e]:
            continue
        share = inverse[e] * (np.float32(1.0) - lengths[e] / np.sqrt(squared + np.float32(1e-20)))
        a, b = particles[i, 3] * share, particles[j, 3] * share
        particles[i, 0] -= a * dx
        particles[i, 1] -= a * dy
        particles[i, 2] -= a * dz
        particles[j, 0] += b * dx
        particles[j, 1] += b * dy
        particles[j, 2] += b * dz


@inlined
def _is_long(particles, ends, lengths, most, e):
    i, j = np.uint64(ends[e, 0]), np.uint64(ends[e, 1])
    dx = particles[i, 0] - particles[j, 0]
    dy = particles[i, 1] - particles[j, 1]
    dz = particles[i, 2] - particles[j, 2]
    limit = lengths[e] * most
    return dx * dx + dy * dy + dz * dz > limit * limit


@inlined
def _mended(particles, ends, lengths, most, chosen, count, rounds):
    """The few edges that are too long, brought to the limit one after the other, there and back."""
    inverse = particles[:, 3]
    for turn in range(rounds):
        for number in range(count):
            e = chosen[number if turn % 2 == 0 else count - 1 - number]
            _limited(particles, inverse, np.uint64(ends[e, 0]), np.uint64(ends[e, 1]), lengths[e] * most)


@parallel_kernel
def stepped(particles, velocities, steps, air, held, constraints, welds, levels, tethers, mending):
    """Some small steps, in place. Described at `estompe.geometry.cloth.fabric.Fabric.step`, its one caller."""
    count, second = steps.number, steps.second
    push, drag, damping = air.push, air.drag, air.damping
    held_from, held_to, reached_from, reached_to = held.begin, held.end, held.reached_from, held.reached_to
    ends, lengths, kinds = constraints.ends, constraints.lengths, constraints.kinds
    block_starts, colour_starts = constraints.block_starts, constraints.colour_starts
    give, fold_give = constraints.give, constraints.fold_give
    group_starts, weld, stands_for, share, mass = welds.starts, welds.weld, welds.stands_for, welds.share, welds.mass
    fine, middle, coarse, slack = levels.fine, levels.middle, levels.coarse, levels.slack
    anchors, reach = tethers.anchors, tethers.reach
    mend_at, mend_rounds, mend_every = mending.limit, mending.rounds, mending.every
    n = particles.shape[0]
    chunks = (n + _CHUNK - 1) // _CHUNK
    constraints = ends.shape[0]
    spans = (constraints + _SPAN - 1) // _SPAN
    g1s, g1p, g1w, p1s, p1k, p1w, w1, e1, l1 = fine
    g2s, g2p, g2w, p2s, p2k, p2w, w2, e2, l2 = middle
    g3s, g3p, g3w, p3s, p3k, p3w, w3, e3, l3 = coarse
    c1, k1 = np.empty((w1.shape[0], 3), np.float32), np.empty((w1.shape[0], 3), np.float32)
    c2, k2 = np.empty((w2.shape[0], 3), np.float32), np.empty((w2.shape[0], 3), np.float32)
    c3, k3 = np.empty((w3.shape[0], 3), np.float32), np.empty((w3.shape[0], 3), np.float32)
    before = np.empty((n, 3), np.float32)
    inverse = np.empty(constraints, np.float32)
    chosen = np.empty(spans * _SPAN, np.int32)
    found = np.zeros(spans, np.int64)
    for span in prange(spans):
        for e in range(span * _SPAN, min(constraints, (span + 1) * _SPAN)):
            both = particles[ends[e, 0], 3] + particles[ends[e, 1], 3]
            soft = give if kinds[e] == EDGE else fold_give
            inverse[e] = np.float32(1.0) / (both + soft) if both > np.float32(0.0) else np.float32(0.0)
    slowed = np.float32(1.0) / (np.float32(1.0) + drag * second)
    mended = 0
    for step in range(count):
        part = reached_from + (reached_to - reached_from) * np.float32(step + 1) / np.float32(count)
        for chunk in prange(chunks):
            for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
                for axis in range(3):
                    before[i, axis] = particles[i, axis]
                    if particles[i, 3] > np.float32(0.0):
                        v = (velocities[i, axis] + push[i, axis] * second) * slowed * damping
                        particles[i, axis] += v * second
                    else:
                        particles[i, axis] = held_from[i, axis] + (held_to[i, axis] - held_from[i, axis]) * part
        for chunk in prange((c1.shape[0] + 63) // 64):
            first, last = chunk * 64, min(c1.shape[0], (chunk + 1) * 64)
            for k in range(first, last):
                x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
                for m in range(g1s[k], g1s[k + 1]):
                    p = np.uint64(stands_for[g1p[m]])
                    w = g1w[m]
                    x += w * particles[p, 0]
                    y += w * particles[p, 1]
                    z += w * particles[p, 2]
                c1[k, 0], c1[k, 1], c1[k, 2] = x, y, z
                k1[k, 0], k1[k, 1], k1[k, 2] = x, y, z
        _gathered(c1, g2s, g2p, g2w, 0, c2.shape[0], c2, k2)
        _gathered(c2, g3s, g3p, g3w, 0, c3.shape[0], c3, k3)
        _bounded(c3, w3, e3, l3, np.float32(1.0), 4)
        _handed_down(c2, w2, p3s, p3k, p3w, c3, k3)
        _bounded(c2, w2, e2, l2, np.float32(1.0), 2)
        _handed_down(c1, w1, p2s, p2k, p2w, c2, k2)
        _bounded(c1, w1, e1, l1, slack, 2)
        for chunk in prange(chunks):
            for p in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
                if particles[p, 3] == np.float32(0.0) or stands_for[p] != p:
                    continue
                x, y, z = np.float32(0.0), np.float32(0.0), np.float32(0.0)
                for q in range(group_starts[weld[p]], group_starts[weld[p] + 1]):
                    if stands_for[q] != p:
                        continue
                    own = share[q] / mass[p]
                    for m in range(p1s[q], p1s[q + 1]):
                        k = np.uint64(p1k[m])
                        w = p1w[m] * own
                        x += w * (c1[k, 0] - k1[k, 0])
                        y += w * (c1[k, 1] - k1[k, 1])
                        z += w * (c1[k, 2] - k1[k, 2])
                particles[p, 0] += x
                particles[p, 1] += y
                particles[p, 2] += z
        for colour in range(colour_starts.shape[0] - 1):
            for block in prange(colour_starts[colour + 1] - colour_starts[colour]):
                b = colour_starts[colour] + block
                _kept_length(particles, ends, lengths, kinds, inverse, block_starts[b], block_starts[b + 1])
        for chunk in prange(chunks):
            for p in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
                # A particle is not farther from the one it is tied to than their distance along the cloth.
                if anchors[p] < 0 or particles[p, 3] == np.float32(0.0):
                    continue
                q = np.uint64(anchors[p])
                dx = particles[p, 0] - particles[q, 0]
                dy = particles[p, 1] - particles[q, 1]
                dz = particles[p, 2] - particles[q, 2]
                squared = dx * dx + dy * dy + dz * dz
                if squared > reach[p] * reach[p]:
                    over = np.float32(1.0) - reach[p] / np.sqrt(squared)
                    particles[p, 0] -= over * dx
                    particles[p, 1] -= over * dy
                    particles[p, 2] -= over * dz
        if step % mend_every == 0:
            for span in prange(spans):
                k = 0
                for e in range(span * _SPAN, min(constraints, (span + 1) * _SPAN)):
                    if kinds[e] == EDGE and _is_long(particles, ends, lengths, mend_at, e):
                        chosen[span * _SPAN + k] = e
                        k += 1
                found[span] = k
            mended = 0
            for span in range(spans):
                for k in range(found[span]):
                    chosen[mended] = chosen[span * _SPAN + k]
                    mended += 1
        _mended(particles, ends, lengths, mend_at, chosen, mended, mend_rounds)
        often = np.float32(1.0) / second
        for chunk in prange(chunks):
            for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
                for axis in range(3):
                    velocities[i, axis] = (particles[i, axis] - before[i, axis]) * often


@parallel_kernel
def _pushed_apart(particles, places, starts, members, least, stands_for, out):
    n = particles.shape[0]
    for chunk in prange((n + _CHUNK - 1) // _CHUNK):
        for i in range(chunk * _CHUNK, min(n, (chunk + 1) * _CHUNK)):
            out[i, 0], out[i, 1], out[i, 2] = particles[i, 0], particles[i, 1], particles[i, 2]
            if particles[i, 3] == np.float32(0.0) or stands_for[i] != i:
                continue
            x, y, z, count = np.float32(0.0), np.float32(0.0), np.float32(0.0), np.float32(0.0)
            for m in range(starts[i], starts[i + 1]):
                # Pushed the way they lay apart when the frame began, so that they stay on their own side.
                j = members[m]
                bx, by, bz = places[i, 0] - places[j, 0], places[i, 1] - places[j, 1], places[i, 2] - places[j, 2]
                far = np.sqrt(bx * bx + by * by + bz * bz) + np.float32(1e-12)
                dx = particles[i, 0] - particles[j, 0]
                dy = particles[i, 1] - particles[j, 1]
                dz = particles[i, 2] - particles[j, 2]
                apart = (dx * bx + dy * by + dz * bz) / far
                wanted = min(least, far)
                if apart < wanted and dx * dx + dy * dy + dz * dz < np.float32(4.0) * least * least:
                    step = np.float32(0.5) * (wanted - apart) / far
                    x += step * bx
                    y += step * by
                    z += step * bz
                    count += np.float32(1.0)
            if count > np.float32(0.0):
                out[i, 0] += x / count
                out[i, 1] += y / count
                out[i, 2] += z / count


def pushed_apart(
    particles: Floats, places: Floats, starts: Indices, members: Indices, least: float, stands_for: Indices
) -> Floats:
    """Where particles are once those of some pairs are not nearer than a distance, or than they were, float32 (n, 3).

    Parameters
    ----------
    particles : float32 (n, 4)
        Positions and inverse masses.
    places : float32 (n, 3)
        Where they were when the frame began: they are pushed that way apart.
    starts, members : int32 (n + 1,), int32
        Where the others of each start, and these.
    least : float
        Scene units.
    stands_for : int32 (n,)
        Only who stands for himself is moved.

    Returns
    -------
    float32 (n, 3)
        The positions.
    """
    out = np.empty((len(particles), 3), np.float32)
    arrays = (read_only(array) for array in (particles, places, starts, members))
    _pushed_apart(*arrays, np.float32(least), read_only(stands_for), out)
    return out


@kernel
def colours_of(ends, count, size):
    """A colour for each block of so many constraints, so that blocks of one colour share no point, int32 (blocks,)."""
    blocks = (ends.shape[0] + size - 1) // size
    used, found = np.zeros(count, np.uint64), np.empty(blocks, np.int32)
    for block in range(blocks):
        taken = np.uint64(0)
        for e in range(block * size, min(ends.shape[0], (block + 1) * size)):
            taken |= used[ends[e, 0]] | used[ends[e, 1]]
        colour = 0
        while colour < 63 and (taken >> np.uint64(colour)) & np.uint64(1):
            colour += 1
        found[block] = colour
        bit = np.uint64(1) << np.uint64(colour)
        for e in range(block * size, min(ends.shape[0], (block + 1) * size)):
            used[ends[e, 0]] |= bit
            used[ends[e, 1]] |= bit
    return found


@kernel
def order_outwards(group_starts, weld, stands_for, around_starts, around, held):
    """Particles in the order of steps along edges from what holds, and for each the copies through which it hangs on others.

    Returns the order, where each one's hangs start, and of each hang the particle it hangs on, its own copy and the other's.
    """
    n = stands_for.shape[0]
    hops, order = np.full(n, -1, np.int32), np.empty(n, np.int32)
    tail = 0
    for c in range(n):
        if held[c] and stands_for[c] == c:
            hops[c] = 0
            order[tail] = c
            tail += 1
    head = 0
    while head < tail:
        p = order[head]
        head += 1
        for c in range(group_starts[weld[p]], group_starts[weld[p] + 1]):
            if stands_for[c] != p:
                continue
            for m in range(around_starts[c], around_starts[c + 1]):
                q = stands_for[around[m]]
                if hops[q] < 0:
                    hops[q] = hops[p] + 1
                    order[tail] = q
                    tail += 1
    starts = np.empty(tail + 1, np.int32)
    on, own, other = np.empty(around.size, np.int32), np.empty(around.size, np.int32), np.empty(around.size, np.int32)
    k = 0
    for o in range(tail):
        p = order[o]
        starts[o] = k
        for c in range(group_starts[weld[p]], group_starts[weld[p] + 1]):
            if stands_for[c] != p:
                continue
            for m in range(around_starts[c], around_starts[c + 1]):
                q = stands_for[around[m]]
                if hops[q] < hops[p]:
                    on[k], own[k], other[k] = q, c, around[m]
                    k += 1
    starts[tail] = k
    return order[:tail].copy(), starts, on[:k].copy(), own[:k].copy(), other[:k].copy()


@kernel
def pulls(order, starts, on, own, other, demand, particles, group_starts, weld, stands_for):
    """What each copy's patch pulls with at its point, float32 (n, 3), and what each particle hands on, float32 (n, 3).

    Not read from stretch, which depends on the solver, but from what each particle needs of the cloth to move as it does,
    added up from the hem to what holds, shared among what it hangs on by direction.
    """
    through, pull = demand.copy(), np.zeros((stands_for.shape[0], 3), np.float32)
    for o in range(order.shape[0] - 1, -1, -1):
        p, first, last = order[o], starts[o], starts[o + 1]
        if first == last:
            continue
        fx, fy, fz = through[p, 0], through[p, 1], through[p, 2]
        force = np.sqrt(fx * fx + fy * fy + fz * fz) + np.float32(1e-20)
        total = np.float32(0.0)
        for turn in range(2):
            for m in range(first, last):
                q = on[m]
                dx = particles[q, 0] - particles[p, 0]
                dy = particles[q, 1] - particles[p, 1]
                dz = particles[q, 2] - particles[p, 2]
                length = np.sqrt(dx * dx + dy * dy + dz * dz) + np.float32(1e-12)
                along = max(-(dx * fx + dy * fy + dz * fz) / (length * force), np.float32(0.0))
                # Sharply by direction: else loads drift along the diagonals of a regular mesh and pile up at its side.
                for _ in range(3):
                    along = along * along
                along += np.float32(1e-30)
                if turn == 0:
                    total += along
                    continue
                s = along / total
                for axis in range(3):
                    handed = s * through[p, axis]
                    through[q, axis] += handed
                    pull[own[m], axis] -= handed
                    pull[other[m], axis] += handed
    for c in range(stands_for.shape[0]):
        shared = 0
        for d in range(group_starts[weld[c]], group_starts[weld[c] + 1]):
            if stands_for[d] == stands_for[c]:
                shared += 1
        for axis in range(3):
            pull[c, axis] += demand[stands_for[c], axis] / np.float32(shared)
    return pull, through


@kernel
def too_long(particles, edges, lengths, stands_for, weld, most, strong):
    """What each point holds, and nothing where an edge at it is longer than it may ever be, float32 (points,)."""
    now = strong.copy()
    for e in range(edges.shape[0]):
        i, j = stands_for[edges[e, 0]], stands_for[edges[e, 1]]
        dx = particles[i, 0] - particles[j, 0]
        dy = particles[i, 1] - particles[j, 1]
        dz = particles[i, 2] - particles[j, 2]
        limit = lengths[e] * most
        if dx * dx + dy * dy + dz * dz > limit * limit:
            now[weld[edges[e, 0]]] = np.float32(0.0)
            now[weld[edges[e, 1]]] = np.float32(0.0)
    return now


@kernel
def parted(pull, strong, group_starts, stands_for, particles, velocities, share, mass, held):
    """Where a patch pulls harder than its point holds, its copy becomes a particle of its own, in place. Returns how many did."""
    made = 0
    for g in range(group_starts.shape[0] - 1):
        first, last = group_starts[g], group_starts[g + 1]
        if last - first < 2:
            continue
        worst, who = np.float32(0.0), -1
        for c in range(first, last):
            together = 0
            for d in range(first, last):
                if d != c and stands_for[d] == stands_for[c]:
                    together += 1
            shared = together > 0
            force = np.sqrt(pull[c, 0] * pull[c, 0] + pull[c, 1] * pull[c, 1] + pull[c, 2] * pull[c, 2])
            if shared and force > strong[g] and force > worst:
                worst, who = force, c
        if who < 0:
            continue
        old, fresh = stands_for[who], who
        if old == who:  # the others need another one to stand for them
            fresh = -1
            for d in range(first, last):
                if d != who and stands_for[d] == who:
                    if fresh < 0:
                        fresh = d
                    stands_for[d] = fresh
        else:
            stands_for[who] = who
        for axis in range(3):
            particles[fresh, axis] = particles[old, axis]
            velocities[fresh, axis] = velocities[old, axis]
        for side in range(2):
            p = old if side == 0 else fresh
            weight = np.float32(0.0)
            for d in range(first, last):
                if stands_for[d] == p:
                    weight += share[d]
            mass[p] = weight
            particles[p, 3] = np.float32(0.0) if held[p] else np.float32(1.0) / weight
        made += 1
    return made


@kernel
def standing(copies, stands_for):
    """Constraints between copies as constraints between particles, int32 (k, 2)."""
    out = np.empty_like(copies)
    for e in range(copies.shape[0]):
        out[e, 0], out[e, 1] = stands_for[copies[e, 0]], stands_for[copies[e, 1]]
    return out


@kernel
def joins_that_hold(starts, one, other, stands_for):
    """Whether at least half of the points that two groups share still hold together, bool (joins,)."""
    out = np.zeros(starts.shape[0] - 1, np.bool_)
    for e in range(starts.shape[0] - 1):
        together = 0
        for m in range(starts[e], starts[e + 1]):
            if stands_for[one[m]] == stands_for[other[m]]:
                together += 1
        out[e] = together > 0 and 2 * together >= starts[e + 1] - starts[e]
    return out


@kernel
def nearest_by_faces(starts, beside, costs, seeds):
    """The seed whose way over faces is shortest, for each face, int32 (faces,); -1 where none comes (Dijkstra 1959)."""
    n = starts.shape[0] - 1
    best, patch = np.full(n, np.inf), np.full(n, -1, np.int32)
    done = np.zeros(n, np.bool_)
    heap, place = np.empty(n, np.int32), np.full(n, -1, np.int32)
    size = np.int64(0)
    for k in range(seeds.shape[0]):
        best[seeds[k]] = 0.0
        patch[seeds[k]] = k
        size = entered(best, heap, place, size, seeds[k])
    while size > 0:
        f = heap[0]
        size = first_taken(best, heap, place, size)
        done[f] = True
        for m in range(starts[f], starts[f + 1]):
            g = beside[m]
            way = best[f] + costs[m]
            if not done[g] and way < best[g]:
                best[g], patch[g] = way, patch[f]
                size = entered(best, heap, place, size, g)
    return patch


Level = tuple[Indices, Indices, Floats, Indices, Indices, Floats, Floats, Indices, Floats]
"""Groups: starts, members and weights of each; starts, groups and weights of each member; inverse masses; edges and lengths."""
