"""A mesh in pieces: what a cut at rest makes of a mesh on every frame, with what belongs to its surface carried along."""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.fracture.cutting import Cut
from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.pieces import Ids, Pieces, weights_for
from estompe.geometry.rest import Rest
from estompe.geometry.topology import Topology
from estompe.geometry.transforms import Matrix
from estompe.kernels.mixing import Mix, mixed
from estompe.kernels.surface import nearest_on_surface
from estompe.kernels.types import Floats, Indices, frozen

INSIDE = "inside"
"""The group of the faces that a cut made."""


@dataclass(frozen=True, eq=False)
class Cells:
    """The cut, which all frames share. Skin points come first in `points`; caps have points of their own, so that they are flat.

    mix: each point from the three corners of a triangle of the mesh; offsets: float32 (n, 3), from there, local space, zero on
    the skin; skin: how many points lie on it; corner_mix: each skin corner from the mesh's corners; parents: int32 (faces,),
    the face of the mesh, or -1 for caps; inner_uv: float32 (corners of caps, 2), scene units along each cap.
    """

    topology: Topology
    rest: Rest
    mix: Mix
    offsets: Floats
    skin: int
    corner_mix: Mix
    parents: Indices
    inner_uv: Floats

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array held here, for counting memory."""
        yield from (self.rest.positions, *self.mix, self.offsets, *self.corner_mix, self.parents, self.inner_uv)
        yield from self.topology.arrays()

    def of(self, mesh: Geometry, matrix: Matrix, inside: tuple[float, float, float] | None, color: Floats) -> Geometry:
        """The mesh as it is now, in pieces. matrix: its local space to world; inside, color: of caps and of the shape."""
        points = mixed(mesh.points, self.mix)
        points[self.skin :] += self.offsets[self.skin :] @ matrix[:, :3].T.astype(np.float32)
        attributes = {key: self._carried(key[0], values) for key, values in mesh.attributes.items()}
        self._add_inner(attributes, inside, color)
        linear = matrix[:, :3] / np.maximum(np.linalg.norm(matrix[:, :3], axis=0), 1e-12)
        axes = np.tile(linear.astype(np.float32).reshape(1, 9), (len(self.topology.pieces), 1))
        made = Geometry(points, self.topology, attributes, self.rest, axes=axes)
        # The skin keeps the normals of the whole, so that no seam shows before something moves.
        normals = self.topology.point_normals(made.points)
        if mesh.shading is not None:
            # Near a hard edge a piece faces as its side of it does.
            inner = np.zeros((len(self.inner_uv), 3), np.float32)
            on_corners = np.concatenate([mixed(mesh.corner_normals, self.corner_mix), inner])
            normals[: self.skin] = made.mean_normals(on_corners)[: self.skin]
            return made.moved(made.points, normals)
        own = mixed(mesh.normals, Mix(self.mix.starts[: self.skin + 1], self.mix.members, self.mix.weights))
        lengths = np.sqrt(np.einsum("ij,ij->i", own, own))[:, None]
        whole = self.mix.weights[: 3 * self.skin : 3] == 1.0
        normals[: self.skin] = np.where(whole[:, None], own, own / np.maximum(lengths, np.float32(1e-20)))
        return made.moved(made.points, normals)

    def _carried(self, domain: Domain, values: NDArray[Any]) -> NDArray[Any]:
        if domain in (Domain.WHOLE, Domain.PIECE):
            return values
        if domain is Domain.FACE:
            out = np.zeros((len(self.parents), *values.shape[1:]), values.dtype)
            skin = self.parents >= 0
            out[skin] = values[self.parents[skin]]
            return frozen(out)
        flat = np.ascontiguousarray(values.reshape(len(values), -1), np.float32)
        made = mixed(flat, self.mix if domain is Domain.POINT else self.corner_mix)
        if domain is Domain.CORNER:
            made = np.concatenate([made, np.zeros((len(self.inner_uv), made.shape[1]), np.float32)])
        shaped = made.reshape(len(made), *values.shape[1:])
        return frozen(shaped >= 0.5 if values.dtype == np.bool_ else shaped.astype(values.dtype, copy=False))

    def _add_inner(
        self,
        attributes: dict[tuple[Domain, str], NDArray[Any]],
        inside: tuple[float, float, float] | None,
        color: Floats,
    ) -> None:
        """The group of the caps, their UVs and their colour."""
        attributes[Domain.FACE, INSIDE] = frozen(self.parents < 0)
        before = len(self.topology.corners) - len(self.inner_uv)
        own = attributes.pop((Domain.POINT, "uv"), None)
        corners = attributes.get((Domain.CORNER, "uv"))
        if corners is not None:
            skin = corners[:before, :2]
        elif own is not None:
            skin = own[self.topology.corners[:before], :2]
        else:
            skin = np.zeros((before, 2), np.float32)
        attributes[Domain.CORNER, "uv"] = frozen(np.concatenate([skin, self.inner_uv]).astype(np.float32))
        if inside is not None:
            colors = attributes.get((Domain.POINT, "color"))
            made = np.tile(color, (len(self.offsets), 1)) if colors is None else np.array(colors[:, :3])
            made[self.skin :] = inside
            attributes[Domain.POINT, "color"] = frozen(made.astype(np.float32))


def cells_of(mesh: Geometry, cut: Cut, ids: Ids, rank: Floats) -> Cells:
    """A cut of a mesh at rest as what is needed on every frame. ids, rank: of every seed."""
    order, source, sizes = _skin_first(cut)
    corners = _corners_in(order, cut.corners, cut.offsets)
    faces = np.repeat(np.arange(len(order)), sizes)
    of_skin = source[faces] >= 0
    # Points of the skin are a piece's own; those of a cap also that cap's, so that it is flat.
    stands, piece = cut.stands[corners], cut.piece[corners]
    across = np.where(of_skin, 0, -source[faces])
    codes = (across.astype(np.int64) * (len(cut.seeds) + 1) + piece) * (int(stands.max()) + 1) + stands
    _, first, number = np.unique(codes, return_index=True, return_inverse=True)
    skin = int(np.count_nonzero(of_skin[first]))
    rest = cut.points[corners[first]]
    at, weights, offsets = _places(mesh, rest, stands[first], source[faces[first]], skin)
    starts = np.arange(0, 3 * len(first) + 1, 3, dtype=np.int32)
    mix = Mix(frozen(starts), frozen(at.reshape(-1).astype(np.int32)), frozen(weights.reshape(-1).astype(np.float32)))
    topology = _topology(cut, ids, rank, number, sizes, piece[first], rest, source)
    corner_mix = _corner_mix(mesh, cut.points[corners[of_skin]], source[faces[of_skin]])
    parents = np.where(source >= 0, mesh.topology.triangle_faces[np.maximum(source, 0)], -1).astype(np.int32)
    inner_uv = _inner_uv(cut.points[corners], faces, of_skin, sizes)
    return Cells(
        topology, Rest(frozen(rest.astype(np.float32))), mix, frozen(offsets.astype(np.float32)), skin, corner_mix,
        frozen(parents), frozen(inner_uv),
    )  # fmt: skip


def _skin_first(cut: Cut) -> tuple[NDArray[np.int64], Indices, NDArray[np.int64]]:
    """The faces with the skin's before the caps, with their sources and sizes."""
    order = np.argsort(cut.source < 0, kind="stable")
    return order, cut.source[order], np.diff(cut.offsets)[order].astype(np.int64)


def _corners_in(order: NDArray[np.int64], corners: Indices, offsets: Indices) -> Indices:
    sizes = np.diff(offsets)[order]
    begins = offsets[:-1][order]
    ends = np.cumsum(sizes)
    index = np.arange(ends[-1] if len(ends) else 0) - np.repeat(ends - sizes, sizes) + np.repeat(begins, sizes)
    return np.asarray(corners[index], np.int32)


def _places(
    mesh: Geometry, rest: NDArray[np.float64], stands: Indices, source: Indices, skin: int
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64]]:
    """Three points of the mesh for each new point, its shares of them, and how far from there it lies."""
    triangles = mesh.topology.triangles
    triangle = np.maximum(source, 0).astype(np.int64)
    inner = np.flatnonzero(np.arange(len(rest)) >= skin)
    if len(inner):
        still = Geometry(mesh.rest, mesh.topology, {}, mesh.at_rest)
        found = nearest_on_surface(np.ascontiguousarray(rest[inner], np.float32), still.tree)
        triangle[inner] = found.triangle
    at = triangles[triangle].astype(np.int64)
    weights = _shares(mesh.rest[at].astype(np.float64), rest)
    # Caps share places with the skin: there the very same shares are taken, so that both coincide to the bit.
    known = np.full(int(stands.max(initial=0)) + 1, -1, np.int64)
    known[stands[:skin]] = np.arange(skin)
    same = known[stands]
    twins = np.flatnonzero((same >= 0) & (same != np.arange(len(rest))))
    at[twins], weights[twins] = at[same[twins]], weights[same[twins]]
    original = np.flatnonzero(stands < len(mesh.points))
    at[original] = stands[original][:, None]
    weights[original] = (1.0, 0.0, 0.0)
    offsets = rest - np.einsum("nk,nkj->nj", weights, mesh.rest[at].astype(np.float64))
    offsets[:skin] = 0.0
    offsets[twins] = 0.0
    offsets[original] = 0.0
    return at, weights, offsets


def _shares(corners: NDArray[np.float64], places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Barycentric shares of the place on each triangle that is nearest to a point, not beyond its sides by much, (n, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    u, v, w = b - a, c - a, places - a
    uu, uv, vv = ((x * y).sum(axis=1) for x, y in ((u, u), (u, v), (v, v)))
    wu, wv = (w * u).sum(axis=1), (w * v).sum(axis=1)
    over = 1.0 / np.where(uu * vv - uv * uv > 1e-300, uu * vv - uv * uv, np.inf)
    second, third = (vv * wu - uv * wv) * over, (uu * wv - uv * wu) * over
    shares = np.clip(np.stack([1.0 - second - third, second, third], axis=1), 0.0, 1.0)
    return np.asarray(shares / shares.sum(axis=1, keepdims=True))


def _topology(
    cut: Cut,
    ids: Ids,
    rank: Floats,
    number: NDArray[np.int64],
    sizes: NDArray[np.int64],
    of: Indices,
    rest: NDArray[np.float64],
    source: Indices,
) -> Topology:
    owners = np.repeat(np.arange(len(cut.seeds)), np.diff(cut.starts))[np.argsort(cut.source < 0, kind="stable")]
    caps = source < 0
    pairs = np.sort(np.stack([owners[caps], -1 - source[caps]], axis=1), axis=1)
    centroids = _centroids(cut)
    weights = weights_for(rest.astype(np.float32), of, centroids)
    pieces = Pieces(
        frozen(of.astype(np.int32)), frozen(ids[cut.seeds]), frozen(rank[cut.seeds]), "cell", frozen(weights),
        frozen(np.unique(pairs, axis=0).astype(np.int32)),
    )  # fmt: skip
    offsets = np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32)
    return Topology(frozen(number.astype(np.int32)), frozen(offsets), len(rest), pieces)


def _centroids(cut: Cut) -> NDArray[np.float64]:
    """The centre of volume of each piece, float64 (pieces, 3)."""
    sizes = np.diff(cut.offsets)
    faces = np.repeat(np.arange(len(sizes)), np.maximum(sizes - 2, 0))
    step = np.arange(len(faces)) - np.repeat(np.cumsum(sizes - 2) - (sizes - 2), sizes - 2)
    begin = cut.offsets[:-1][faces]
    owner = np.repeat(np.arange(len(cut.seeds)), np.diff(cut.starts))[faces]
    sums = np.stack([np.bincount(cut.piece, cut.points[:, k], len(cut.seeds)) for k in range(3)], axis=1)
    middle = sums / np.maximum(np.bincount(cut.piece, minlength=len(cut.seeds)), 1)[:, None]
    a, b, c = (cut.points[cut.corners[at]] - middle[owner] for at in (begin, begin + step + 1, begin + step + 2))
    six = np.einsum("ij,ij->i", a, np.cross(b, c))
    volume = np.bincount(owner, six, len(cut.seeds))
    moment = np.stack([np.bincount(owner, six * (a + b + c)[:, k] / 4.0, len(cut.seeds)) for k in range(3)], axis=1)
    flat = np.abs(volume) < 1e-300
    return np.asarray(middle + np.where(flat[:, None], 0.0, moment / np.where(flat, 1.0, volume)[:, None]))


def _corner_mix(mesh: Geometry, places: NDArray[np.float64], source: Indices) -> Mix:
    """Each corner of the skin from the three corners of its triangle."""
    corners = mesh.topology.triangle_corners[source]
    weights = _shares(mesh.rest[mesh.topology.triangles[source]].astype(np.float64), places)
    starts = np.arange(0, 3 * len(places) + 1, 3, dtype=np.int32)
    return Mix(
        frozen(starts), frozen(corners.reshape(-1).astype(np.int32)), frozen(weights.reshape(-1).astype(np.float32))
    )


def _inner_uv(
    places: NDArray[np.float64], faces: NDArray[np.int64], of_skin: NDArray[np.bool_], sizes: NDArray[np.int64]
) -> Floats:
    """Places of the caps' corners along their planes, scene units, float32 (corners, 2)."""
    begins = np.cumsum(sizes) - sizes
    normals = np.zeros((len(sizes), 3))
    following = np.arange(len(places)) + 1
    following[(begins + sizes - 1)] = begins
    np.add.at(normals, faces, np.cross(places, places[following]))
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    across: NDArray[np.float64] = np.cross(normals, np.eye(3)[np.abs(normals).argmin(axis=1)])
    across = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-300)
    inner = np.flatnonzero(~of_skin)
    owner = faces[inner]
    first = (places[inner] * across[owner]).sum(axis=1)
    second = (places[inner] * np.cross(normals, across)[owner]).sum(axis=1)
    return np.stack([first, second], axis=1).astype(np.float32)
