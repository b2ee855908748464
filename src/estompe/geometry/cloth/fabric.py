"""A mesh as cloth: what is found out about it once, and its small steps.

Faces are cut beforehand into patches of a chosen size; a point at which patches meet is there once for each of them. Copies of
a point hold together until something tears, so the number of points never changes.
"""

from collections.abc import Callable, Hashable
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.derived import Derived
from estompe.geometry.topology import Topology
from estompe.kernels.arrival import arrival, unfolded
from estompe.kernels.cloth import steps as cloth
from estompe.kernels.morton import morton_order
from estompe.kernels.topology import corners_of_points
from estompe.kernels.types import Floats, Indices, frozen

Vector = NDArray[Any]
Made = TypeVar("Made")
_BLOCK = 256
_SPACINGS = (3.0, 9.0, 27.0)
"""How far groups of each level lie apart, in edges."""
_REACH = 1.2
_SLACK, _MEND_AT, _MEND_ROUNDS, _MEND_EVERY = 1.01, 1.05, 4, 4
_TETHER = 1.03
_EVER = 1.3
"""An edge longer than this, of its length, tears at once where it may tear at all."""
_RIDGE = 1e3
_MOST_KEPT = 12
_NEAR = 2.0
"""Pairs are looked for within so many times the distance they keep."""


class Motion(NamedTuple):
    """Cloth at one time: particles, float32 (n, 4), positions and inverse masses; velocities, float32 (n, 3), a second.

    stands_for: the copy that stands for each, int32 (n,); held: bool (n,).
    """

    particles: Floats
    velocities: Floats
    stands_for: Indices
    held: NDArray[np.bool_]


class Forces(NamedTuple):
    """push: acceleration of each copy, float32 (n, 3); drag: towards the air, a second; damping: what is left after a second.

    give, fold_give: how soft edges and folds are (inverse stiffness of extended position-based dynamics); holds: how many
    scene units of itself the cloth can carry at each old point, float32 (points,), infinite for cloth that does not tear.
    """

    push: Floats
    drag: float
    damping: float
    give: float
    fold_give: float
    holds: Floats
    gravity: float


class Fabric:
    """The parts that do not move: constraints in blocks of one colour, groups, welds.

    size: of a patch, scene units; 0 for one patch; faces: int32 (t,), the face each triangle belongs to, which is not cut.
    """

    def __init__(
        self,
        places: Floats,
        triangles: Indices,
        size: float = 0.0,
        uneven: float = 0.5,
        seed: int = 1,
        faces: Indices | None = None,
    ) -> None:
        patches = patches_of(places, triangles, size, uneven, seed) if size > 0 else np.zeros(len(triangles), np.int32)
        self._face_patch = patches
        if faces is not None:
            # Triangles stand in the order of their faces: the first of each decides.
            self._face_patch = patches[np.unique(faces, return_index=True)[1]]
            patches = self._face_patch[faces]
        self._kept = Derived(_MOST_KEPT)
        self._weld(places, triangles, patches)
        self._constrain(len(places))
        self._groups()

    def _weld(self, places: Floats, triangles: Indices, patches: Indices) -> None:
        """A copy of each point for each patch at it."""
        count = int(patches.max(initial=0)) + 1
        keys, copies = np.unique(triangles.astype(np.int64) * count + patches[:, None], return_inverse=True)
        self.weld = frozen((keys // count).astype(np.int32))
        self.patch = frozen((keys % count).astype(np.int32))
        self.triangles = frozen(copies.reshape(triangles.shape).astype(np.int32))
        self.places = frozen(np.ascontiguousarray(places[self.weld]))
        ends = np.cumsum(np.bincount(self.weld, minlength=len(places)))
        self.group_starts = frozen(np.concatenate([[0], ends]).astype(np.int32))
        self.points, self.copies = len(places), len(self.weld)
        first = self.group_starts[:-1][self.weld]
        self.whole = frozen(first.astype(np.int32))
        """Who stands for whom while nothing has torn."""
        corners = self.places[self.triangles].astype(np.float64)
        areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
        own = np.bincount(self.triangles.ravel(), np.repeat(areas, 3), self.copies) / 3
        self.area = own
        self.share = frozen((own / max(own.mean(), 1e-30)).astype(np.float32))
        self.width = frozen(np.sqrt(np.bincount(self.weld, own, self.points)).astype(np.float32))

    def _constrain(self, points: int) -> None:
        edges, folds = edges_and_folds(self.triangles)
        self.edges = frozen(edges)
        ends = np.concatenate([edges, folds])
        kinds = np.repeat(np.array([cloth.EDGE, cloth.FOLD], np.uint8), [len(edges), len(folds)])
        order = morton_order(np.ascontiguousarray(self.places[ends].mean(axis=1), np.float32))
        ends, kinds = np.ascontiguousarray(ends[order]), kinds[order]
        # Colours of the welded mesh: they are right whatever tears later.
        colours = cloth.colours_of(np.ascontiguousarray(self.weld[ends]), points, _BLOCK)
        blocks = np.argsort(colours, kind="stable")
        sizes = np.minimum(_BLOCK, len(ends) - blocks * _BLOCK)
        chosen = np.concatenate([np.arange(b * _BLOCK, b * _BLOCK + s) for b, s in zip(blocks, sizes, strict=True)])
        self.ends, self.kinds = frozen(np.ascontiguousarray(ends[chosen])), frozen(kinds[chosen])
        self.lengths = frozen(_lengths(self.places, self.ends))
        self.edge_lengths = frozen(_lengths(self.places, self.edges))
        self.block_starts = frozen(np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64))
        self.colour_starts = frozen(np.concatenate([[0], np.cumsum(np.bincount(colours))]).astype(np.int64))
        both = np.concatenate([edges, edges[:, ::-1]])
        starts, members = corners_of_points(np.ascontiguousarray(both[:, 0]), self.copies)
        self.around_starts, self.around = starts, np.ascontiguousarray(both[members, 1])

    def _groups(self) -> None:
        """The finest groups, each within a patch, so that what tears leaves them right, and the joins between patches."""
        from scipy.sparse import csr_matrix  # slow to import, and few need it
        from scipy.spatial import cKDTree

        self.edge = float(np.median(self.edge_lengths)) if len(self.edges) else 1.0
        places = self.places.astype(np.float64)
        apart = np.concatenate([places, self.patch[:, None] * _RIDGE * self.edge * len(places)], axis=1)
        spacing = _SPACINGS[0] * self.edge
        seeds = _darts(apart, spacing, 0)
        near = cKDTree(apart[seeds]).query_ball_point(apart, _REACH * spacing, return_sorted=True)
        rows = np.repeat(np.arange(self.copies), [len(item) for item in near])
        columns = np.concatenate([np.asarray(item, np.int64) for item in near])
        far = np.linalg.norm(places[rows] - places[seeds[columns]], axis=1)
        weights = np.maximum(1 - far / (_REACH * spacing), 1e-3)
        self._fine = _Groups(
            places, self.share.astype(np.float64), csr_matrix((weights, (rows, columns)), (self.copies, len(seeds)))
        )
        self._inner = _pairs_between(self._fine.own, self.edges)
        self._joins()

    def _joins(self) -> None:
        """Groups of different patches that share points."""
        one, other = [], []
        every = np.arange(self.copies)
        for step in range(1, int(np.diff(self.group_starts).max(initial=1))):
            inside = every + step < self.group_starts[self.weld + 1]
            one.append(every[inside])
            other.append(every[inside] + step)
        a = np.concatenate(one) if one else np.zeros(0, np.int64)
        b = np.concatenate(other) if other else np.zeros(0, np.int64)
        own = self._fine.own
        low, high = np.minimum(own[a], own[b]), np.maximum(own[a], own[b])
        codes = low * len(self._fine.masses) + high
        order = np.argsort(codes, kind="stable")
        found, first = np.unique(codes[order], return_index=True)
        self._join_starts = np.concatenate([first, [len(codes)]]).astype(np.int32)
        self._join_one, self._join_other = a[order].astype(np.int32), b[order].astype(np.int32)
        count = max(len(self._fine.masses), 1)
        self._outer = np.stack([found // count, found % count], axis=1).astype(np.int64)

    def kept(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What is made from the fabric, the last few kept with it."""
        return self._kept.get(key, make)

    def corner_copies(self, topology: Topology) -> Indices:
        """The copy at each corner of the mesh it was made from, int32 (corners,)."""
        patch = self._face_patch[topology.corner_faces].astype(np.int64)
        count = int(self._face_patch.max(initial=0)) + 1
        keys = self.weld.astype(np.int64) * count + self.patch
        return np.searchsorted(keys, topology.corners.astype(np.int64) * count + patch).astype(np.int32)

    def arrays(self) -> list[NDArray[Any]]:
        """The arrays it keeps."""
        return [value for value in vars(self).values() if isinstance(value, np.ndarray)]

    def begun(self, places: Floats, held: NDArray[np.bool_]) -> Motion:
        """Cloth at rest. places: float32 (points, 3); held: bool (points,)."""
        particles = np.zeros((self.copies, 4), np.float32)
        particles[:, :3] = places[self.weld]
        motion = Motion(particles, np.zeros((self.copies, 3), np.float32), self.whole, held[self.weld])
        return self.held_by(motion, held)

    def masses(self, stands_for: Indices) -> Floats:
        """The mass of each particle, of the mean copy's; of others what their copies weigh."""
        made: Floats = np.bincount(stands_for, self.share, self.copies).astype(np.float32)
        return made

    def held_by(self, motion: Motion, held: NDArray[np.bool_]) -> Motion:
        """The same motion, held at other points, bool (points,)."""
        particles, stands_for = motion.particles.copy(), motion.stands_for
        alive = stands_for == np.arange(self.copies)
        masses = np.where(alive, np.maximum(self.masses(stands_for), 1e-12), 1.0)
        copies = held[self.weld]
        particles[:, 3] = np.where(alive & ~copies, 1 / masses, 0.0)
        return motion._replace(particles=particles, held=copies)

    def step(
        self, motion: Motion, to: Floats, part: tuple[float, float], seconds: float, count: int, forces: Forces
    ) -> Motion:
        """Some small steps.

        Parameters
        ----------
        motion : Motion
            The cloth before.
        to : float32 (points, 3)
            Where held points are at the end of the frame.
        part : tuple of float
            From where to where on the way there, 0..1, these steps go.
        seconds : float
            How long they last together.
        count : int
            How many.
        forces : Forces
            What acts.

        Returns
        -------
        Motion
            The cloth afterwards.
        """
        particles, velocities = motion.particles.copy(), motion.velocities.copy()
        second = seconds / count
        masses = self.masses(motion.stands_for)
        tears = bool(np.isfinite(forces.holds).any())
        levels, anchors = self._levels(motion), self._anchors(motion, tears)
        # Held points go straight from where they were when the frame began: what is left of the way, as seen from here.
        begin, end = part
        goal = to[self.weld]
        left = (end - begin) / max(1.0 - begin, 1e-9)
        cloth.stepped(
            particles,
            velocities,
            cloth.Steps(count, np.float32(second)),
            cloth.Air(forces.push, np.float32(forces.drag), np.float32(forces.damping**second)),
            cloth.Held(particles[:, :3].copy(), goal, np.float32(0.0), np.float32(left)),
            cloth.Constraints(
                self._standing(motion.stands_for), self.lengths, self.kinds, self.block_starts, self.colour_starts,
                np.float32(forces.give / second**2), np.float32(forces.fold_give / second**2),
            ),
            cloth.Welds(self.group_starts, self.weld, motion.stands_for, self.share, masses),
            cloth.Levels(*levels, np.float32(_SLACK)),
            cloth.Tethers(*anchors),
            cloth.Mending(np.float32(_MEND_AT), _MEND_ROUNDS, _MEND_EVERY),
        )  # fmt: skip
        return Motion(particles, velocities, motion.stands_for, motion.held)

    def near_pairs(self, motion: Motion, least: float) -> tuple[Indices, Indices]:
        """Particles that are near each other now and were not at rest: where the others of each start, and these."""
        from scipy.spatial import cKDTree

        alive = np.flatnonzero(motion.stands_for == np.arange(self.copies))
        places = motion.particles[alive, :3].astype(np.float64)
        pairs = alive[cKDTree(places).query_pairs(_NEAR * least, output_type="ndarray")]
        at_rest = np.linalg.norm(self.places[pairs[:, 0]].astype(np.float64) - self.places[pairs[:, 1]], axis=1)
        pairs = pairs[at_rest > max(_NEAR * least, _NEAR * self.edge)]
        both = np.concatenate([pairs, pairs[:, ::-1]]).astype(np.int32)
        starts, order = corners_of_points(np.ascontiguousarray(both[:, 0]), self.copies)
        return starts, np.ascontiguousarray(both[order, 1])

    def kept_apart(
        self, motion: Motion, places: Floats, pairs: tuple[Indices, Indices], least: float, seconds: float
    ) -> Motion:
        """Pairs not nearer than a distance. Layers keep apart at moderate speed; what has passed through stays through.

        places: where particles were when the frame began, float32 (n, 3); seconds: since the last time.
        """
        moved = cloth.pushed_apart(motion.particles, places, *pairs, least, motion.stands_for)
        particles, velocities = motion.particles.copy(), motion.velocities.copy()
        velocities += (moved - particles[:, :3]) / np.float32(seconds)
        particles[:, :3] = moved
        return motion._replace(particles=particles, velocities=velocities)

    def torn(
        self, motion: Motion, before: Floats, seconds: float, forces: Forces, touched: NDArray[np.bool_]
    ) -> Motion:
        """What pulls harder than its point holds comes apart, two patches at a point at most: that is how fast a tear runs.

        before: the velocities some seconds ago, float32 (n, 3); touched: bool (n,), what was pushed by something else meanwhile,
        which tells nothing about what the cloth gives it.
        """
        particles, velocities = motion.particles.copy(), motion.velocities.copy()
        stands_for = motion.stands_for.copy()
        per_area = 1.0 / max(float(self.area.mean()), 1e-30)
        strong = np.minimum(forces.holds.astype(np.float64) * forces.gravity * per_area * self.width, 1e30).astype(
            np.float32
        )
        masses = self.masses(stands_for)
        needs = np.where(touched[:, None], np.float32(0.0), forces.push - (velocities - before) / np.float32(seconds))
        wanted = needs * masses[:, None]
        now = cloth.too_long(particles, self.edges, self.edge_lengths, stands_for, self.weld, np.float32(_EVER), strong)
        now = np.where(np.isinf(forces.holds), np.float32(1e30), now)
        for _ in range(2):
            order = cloth.order_outwards(
                self.group_starts, self.weld, stands_for, self.around_starts, self.around, motion.held
            )
            pull, _ = cloth.pulls(*order, wanted, particles, self.group_starts, self.weld, stands_for)
            if not cloth.parted(
                pull, now, self.group_starts, stands_for, particles, velocities, self.share, masses, motion.held
            ):
                break
            wanted = needs * masses[:, None]
        return Motion(particles, velocities, frozen(stands_for), motion.held)

    def _levels(self, motion: Motion) -> tuple[cloth.Level, cloth.Level, cloth.Level]:
        """The groups as they hold together now; those with a held point in them do not move. The last ones are kept."""
        holds = cloth.joins_that_hold(self._join_starts, self._join_one, self._join_other, motion.stands_for)
        groups = self._kept.get(("groups", holds.tobytes()), lambda: self._grouped(holds))
        return self._kept.get(
            ("levels", holds.tobytes(), motion.held.tobytes()), lambda: _as_levels(groups, motion.held)
        )

    def _grouped(self, holds: NDArray[np.bool_]) -> list[tuple["_Groups", Vector]]:
        """The groups of each level, with the pairs of them that hold together."""
        fine = self._fine
        edges = np.concatenate([self._inner, self._outer[holds]]) if len(self._outer) else self._inner
        middle = _above(fine.centres, fine.masses, edges, _SPACINGS[1] * self.edge, 1)
        beside = _pairs_between(middle.own, edges)
        coarse = _above(middle.centres, middle.masses, beside, _SPACINGS[2] * self.edge, 2)
        return [(fine, edges), (middle, beside), (coarse, _pairs_between(coarse.own, beside))]

    def _anchors(self, motion: Motion, tears: bool) -> tuple[Indices, Floats]:
        """What holds each copy nearest along the cloth, -1 for nothing, and how far it may be from there.

        None where the way may tear. Kim, Chentanez and Müller-Fischer 2012, doi:10.2312/SCA/SCA12/305-310.
        """
        if tears or not motion.held.any():
            return np.full(self.copies, -1, np.int32), np.zeros(self.copies, np.float32)
        return self._kept.get(("anchors", motion.held.tobytes()), lambda: self._anchored(motion.held))

    def _anchored(self, held: NDArray[np.bool_]) -> tuple[Indices, Floats]:
        from scipy.sparse import csr_matrix
        from scipy.sparse.csgraph import dijkstra

        graph = csr_matrix(
            (self.edge_lengths.astype(np.float64), (self.edges[:, 0], self.edges[:, 1])), (self.copies,) * 2
        )
        ways, _, sources = dijkstra(
            graph, directed=False, indices=np.flatnonzero(held), min_only=True, return_predecessors=True
        )
        triangles, lengths = unfolded(self.places.astype(np.float64), self.triangles)
        starts, corners = corners_of_points(np.ascontiguousarray(triangles.reshape(-1)), self.copies)
        first = np.where(held, 0.0, np.inf)
        over = arrival(triangles, lengths, starts, (corners // 3).astype(np.int32), first)
        straight = np.linalg.norm(self.places.astype(np.float64) - self.places[np.maximum(sources, 0)], axis=1)
        ways = np.maximum(np.minimum(ways, over), straight)
        there = np.isfinite(ways) & ~held
        anchors = np.where(there, sources, -1).astype(np.int32)
        return anchors, np.where(there, _TETHER * ways, 0.0).astype(np.float32)

    def _standing(self, stands_for: Indices) -> Indices:
        """The constraints between particles."""
        return self._kept.get(("ends", stands_for.tobytes()), lambda: cloth.standing(self.ends, stands_for))

    def positions(self, motion: Motion) -> Floats:
        """Where each copy is, float32 (copies, 3)."""
        return np.ascontiguousarray(motion.particles[motion.stands_for, :3])

    def stretch(self, motion: Motion) -> Floats:
        """How long each edge is, of its length at rest, float32 (e,)."""
        made: Floats = _lengths(self.positions(motion), self.edges) / np.maximum(self.edge_lengths, np.float32(1e-12))
        return made

    def parts(self, motion: Motion) -> Indices:
        """The torn piece each copy belongs to, int32 (copies,), numbered by their first copy."""
        from scipy.sparse import csr_matrix
        from scipy.sparse.csgraph import connected_components

        ends = motion.stands_for[self.edges]
        graph = csr_matrix((np.ones(len(ends), np.uint8), (ends[:, 0], ends[:, 1])), (self.copies, self.copies))
        _, labels = connected_components(graph, directed=False)
        _, numbers = np.unique(labels[motion.stands_for], return_inverse=True)
        return numbers.astype(np.int32)


def _as_levels(
    groups: list[tuple["_Groups", Vector]], held: NDArray[np.bool_]
) -> tuple[cloth.Level, cloth.Level, cloth.Level]:
    hit, made = held, []
    for level, edges in groups:
        hit = level.with_held(hit)
        made.append(level.level(edges, hit))
    return made[0], made[1], made[2]


class _Groups:
    """Groups with weights: of points, or of groups below."""

    def __init__(self, places: Vector, masses: Vector, weights: Any) -> None:
        from scipy.sparse import diags

        weights = (diags(1 / np.asarray(weights.sum(axis=1)).ravel()) @ weights).tocsr()
        weights.sort_indices()
        self.up = _rows(weights)
        heavy = (diags(masses) @ weights).T.tocsr()
        heavy.sort_indices()
        self.masses = np.asarray(heavy.sum(axis=1)).ravel()
        middles = (diags(1 / np.maximum(self.masses, 1e-30)) @ heavy).tocsr()
        self.down = _rows(middles)
        self.centres = middles @ places
        self.own = np.asarray(weights.argmax(axis=1)).ravel().astype(np.int64)

    def with_held(self, held: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which groups have something held in them."""
        found = np.zeros(len(self.masses), np.bool_)
        found[self.own[held]] = True
        return found

    def level(self, edges: Vector, held: NDArray[np.bool_]) -> cloth.Level:
        """As the steps want them."""
        inverse = np.where(held, 0.0, 1 / np.maximum(self.masses, 1e-30)).astype(np.float32)
        if len(edges):
            order = morton_order(np.ascontiguousarray(self.centres[edges].mean(axis=1), np.float32))
            edges = edges[order]
        ends = np.ascontiguousarray(edges.reshape(-1, 2), np.int32)
        lengths = np.linalg.norm(self.centres[ends[:, 0]] - self.centres[ends[:, 1]], axis=1).astype(np.float32)
        return (*self.down, *self.up, inverse, ends, lengths)


def _rows(matrix: Any) -> tuple[Indices, Indices, Floats]:
    return matrix.indptr.astype(np.int32), matrix.indices.astype(np.int32), matrix.data.astype(np.float32)


def _above(places: Vector, masses: Vector, edges: Vector, spacing: float, seed: int) -> _Groups:
    """Groups of groups, along what still holds together: each reaches as far as its way over edges."""
    from scipy.sparse import csr_matrix
    from scipy.sparse.csgraph import dijkstra

    count = len(places)
    seeds = _darts(places, spacing, seed)
    lengths = np.maximum(np.linalg.norm(places[edges[:, 0]] - places[edges[:, 1]], axis=1), 1e-12)
    graph = csr_matrix((lengths, (edges[:, 0], edges[:, 1])), (count, count))
    reach = _REACH * 1.15 * spacing
    ways = dijkstra(graph, directed=False, indices=seeds, limit=reach)
    group, member = np.nonzero(np.isfinite(ways))
    weights = np.maximum(1 - ways[group, member] / reach, 1e-3)
    lonely = np.flatnonzero(~np.isfinite(ways).any(axis=0))
    rows = np.concatenate([member, lonely])
    columns = np.concatenate([group, len(seeds) + np.arange(len(lonely))])
    matrix = csr_matrix(
        (np.concatenate([weights, np.ones(len(lonely))]), (rows, columns)), (count, len(seeds) + len(lonely))
    )
    used = np.flatnonzero(np.asarray(matrix.sum(axis=0)).ravel() > 0)
    return _Groups(places, masses, matrix[:, used].tocsr())


def _darts(places: Vector, spacing: float, seed: int) -> Vector:
    """Places at least so far apart, thrown in a random order."""
    from scipy.spatial import cKDTree

    tree, gone, found = cKDTree(places), np.zeros(len(places), np.bool_), []
    for number in np.random.default_rng(seed).permutation(len(places)):
        if not gone[number]:
            found.append(number)
            gone[tree.query_ball_point(places[number], spacing)] = True
    return np.array(sorted(found), np.int64)


def _pairs_between(own: Vector, edges: Vector) -> Vector:
    """Pairs of groups that edges go between, each once."""
    ends = np.sort(own[edges.reshape(-1, 2)], axis=1)
    return np.unique(ends[ends[:, 0] != ends[:, 1]], axis=0).reshape(-1, 2)


def _lengths(places: Floats, ends: Indices) -> Floats:
    way = places[ends[:, 0]].astype(np.float64) - places[ends[:, 1]]
    made: Floats = np.sqrt((way * way).sum(axis=1)).astype(np.float32)
    return made


def edges_and_folds(triangles: Indices) -> tuple[Indices, Indices]:
    """The edges of triangles, and for those between two the corners opposite to them, int32 (e, 2) and (f, 2)."""
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    opposite = np.concatenate([triangles[:, 2], triangles[:, 0], triangles[:, 1]])
    count = int(triangles.max(initial=0)) + 1
    codes = ends.min(axis=1) * count + ends.max(axis=1)
    order = np.argsort(codes, kind="stable")
    found, first, times = np.unique(codes[order], return_index=True, return_counts=True)
    edges = np.stack([found // count, found % count], axis=1).astype(np.int32)
    inner = first[times == 2]
    folds = np.stack([opposite[order][inner], opposite[order][inner + 1]], axis=1).astype(np.int32)
    return edges, folds


def patches_of(places: Floats, triangles: Indices, size: float, uneven: float, seed: int) -> Indices:
    """A patch for each triangle, about so large, int32 (t,): its seed is the nearest by ways over faces of random cost.

    size: scene units; uneven: 0..1, how much ways differ from their lengths.
    """
    ends = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]).astype(np.int64)
    faces = np.tile(np.arange(len(triangles)), 3)
    codes = ends.min(axis=1) * len(places) + ends.max(axis=1)
    order = np.argsort(codes, kind="stable")
    same = np.flatnonzero(codes[order][1:] == codes[order][:-1])
    a, b = faces[order][same], faces[order][same + 1]
    middles = places[triangles].mean(axis=1).astype(np.float64)
    random = np.random.default_rng(seed + 1).uniform(-1, 1, len(a))
    costs = np.linalg.norm(middles[a] - middles[b], axis=1) * (1 + uneven * random)
    starts, members = corners_of_points(np.concatenate([a, b]).astype(np.int32), len(triangles))
    beside = np.concatenate([b, a])[members].astype(np.int32)
    ways = np.concatenate([costs, costs])[members]
    seeds = _darts(middles, size, seed).astype(np.int32)
    found: Indices = cloth.nearest_by_faces(starts, beside, ways, seeds)
    # Faces that no seed comes to, such as those of a part smaller than a patch, are one more.
    made: Indices = np.where(found < 0, len(seeds), found).astype(np.int32)
    return made
