"""The mesh every stage takes and returns."""

from collections.abc import Callable, Hashable, Iterator, Mapping
from enum import StrEnum
from functools import cached_property
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.attributes import RESERVED, fits
from estompe.geometry.derived import Derived
from estompe.geometry.pieces import Pieces
from estompe.geometry.rest import Rest
from estompe.geometry.shading import AUTHORED, Shading, shading_of
from estompe.geometry.topology import Topology
from estompe.geometry.transforms import Matrix
from estompe.kernels.bounds import bounds
from estompe.kernels.sides import Outwards, outwards_of
from estompe.kernels.surface import Tree, tree_of
from estompe.kernels.topology import point_means
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats, Indices, frozen

Made = TypeVar("Made")
_MOST_DERIVED = 3
MOST_POINTS = 200_000_000
MOST_MADE_FACES = 8_000_000
"""Faces that shapes and effects may make; imported meshes may have more."""


class GeometryError(ValueError):
    """A mesh that cannot be used; the text says what is wrong with it."""


def check_made(faces: int, instead: str) -> None:
    """Raise GeometryError for more faces than may be made. instead: what to do."""
    if faces > MOST_MADE_FACES:
        raise GeometryError(f"it would have {faces:,} faces, more than {MOST_MADE_FACES:,}: {instead}")


class Domain(StrEnum):
    """What an attribute has one value for."""

    POINT = "point"
    CORNER = "corner"
    FACE = "face"
    PIECE = "piece"
    WHOLE = "whole"


DOMAINS: dict[str, Domain] = {"points": Domain.POINT, "faces": Domain.FACE, "pieces": Domain.PIECE}
"""The domains that are chosen from, by the words a scene has for them."""
_OF_PLACES = ("normals", "tree", "outwards", "bounds")
"""What is known of a mesh from its points and faces alone."""
Attributes = Mapping[tuple[Domain, str], NDArray[Any]]


class Geometry:
    """Points, polygons over them, and named attributes; arrays are read-only and shared between states.

    points: float32 (n, 3), scene units; rest: the same before any effect; attributes: by domain and name, the first axis
    counting the domain's elements. A group is a boolean attribute. notes: what a person should know about where it came from.
    axes: float32 (pieces, 9), three unit columns for each piece, where they are known.
    Colours are float32 (…, 3) in 0..1, UVs float32 (…, 2).
    """

    solid: Any = None
    """The volume it was taken from (`estompe.geometry.volumes.solid.Solid`), as long as its points stay where they are."""
    spine: Any = None
    """The lines that it is a skin around, as long as its points stay where they are."""
    layer: Any = None
    """A volume that is part of it, for showing it."""

    def __init__(
        self,
        points: Floats,
        topology: Topology,
        attributes: Attributes | None = None,
        rest: Rest | None = None,
        notes: tuple[str, ...] = (),
        axes: Floats | None = None,
    ) -> None:
        self.notes = notes
        self.axes: Floats | None = None if axes is None else frozen(axes)
        self.points: Floats = frozen(points)
        self.topology = topology
        # Shared, not copied: states that left the attributes alone can be told by it.
        self.attributes: Attributes = attributes if attributes is not None else {}
        self.at_rest = Rest(self.points) if rest is None else rest

    @classmethod
    def from_faces(
        cls, points: NDArray[Any], corners: NDArray[Any], offsets: NDArray[Any], attributes: Attributes | None = None
    ) -> "Geometry":
        """A mesh from arrays that may be wrong.

        Raises GeometryError for positions that are not numbers, corners that name no point, faces of fewer than three
        corners, and attributes of the wrong length.
        """
        if points.ndim not in (1, 2) or points.size % 3 or corners.ndim != 1 or offsets.ndim != 1:
            raise GeometryError("its arrays do not have the form of a mesh")
        if not all(array.dtype.kind in "fiu" for array in (points, corners, offsets)):
            raise GeometryError("its arrays are no numbers")
        points = np.ascontiguousarray(points, np.float32).reshape(-1, 3)
        _check(points, corners, offsets)
        topology = Topology(
            frozen(corners.astype(np.int32, copy=False)), frozen(offsets.astype(np.int32, copy=False)), len(points)
        )
        made = cls(points, topology, {key: frozen(value) for key, value in (attributes or {}).items()})
        for (domain, name), value in made.attributes.items():
            if value.ndim not in (1, 2) or value.dtype.kind not in "fiub" or value.dtype.itemsize == 2:
                raise GeometryError(f"attribute “{name}” is no list of plain numbers")
            if len(value) != made.count(domain):
                raise GeometryError(f"attribute “{name}” has {len(value)} values for {made.count(domain)} {domain}s")
            if not fits(name, value):
                raise GeometryError(f"attribute “{name}” is not stored as {RESERVED[name].meaning}")
        return made

    # As a component: properties that each kind of geometry overrides; none of them makes the points of copies.

    @property
    def component(self) -> str:
        """Which component it is: "mesh", "strands" or "copies"; drawers and writers are registered by this name."""
        return "mesh" if self.topology.lines is None else "strands"

    @property
    def own_domain(self) -> Domain:
        """The domain on which values are measured and drawn by default."""
        return Domain.POINT

    @property
    def is_real(self) -> bool:
        """Whether its points have been made."""
        return True

    @property
    def is_parted(self) -> bool:
        """Whether it consists of pieces that move by themselves."""
        return self.topology.parted is not None

    @property
    def piece_word(self) -> str:
        """What one piece is called, such as "cell" or "copy"."""
        return self.topology.pieces.word

    @property
    def total_points(self) -> int:
        """How many points it has, of copies how many they have together."""
        return len(self.points)

    @property
    def total_triangles(self) -> int:
        """How many triangles it has, of copies how many they have together."""
        return len(self.topology.triangles)

    @property
    def copies_shown(self) -> int:
        """How many copies are shown; 0 for what is not made of copies."""
        return 0

    @property
    def placed_elements(self) -> Floats:
        """Where it is placed: its points, of copies their positions, float32 (n, 3)."""
        return self.points

    @property
    def bytes_per_frame(self) -> int:
        """About how many bytes another frame of it adds."""
        return 2 * self.points.nbytes

    def attributes_of(self, domain: Domain) -> dict[str, NDArray[Any]]:
        """The attributes of a domain by name."""
        return {name: values for (own, name), values in self.attributes.items() if own is domain}

    def triangle_corners(self, triangle: int, copy: int | None = None) -> NDArray[np.float64] | None:
        """The corners of a triangle in the world, float64 (3, 3); None where there is none of that number. copy: which copy's."""
        if copy is not None or triangle >= len(self.topology.triangles):
            return None
        return np.asarray(self.points[self.topology.triangles[triangle]], np.float64)

    def copy_edges(self, copy: int) -> Floats | None:
        """The edges of a copy in the world, float32 (e, 2, 3); None where there is none of that number."""
        del copy
        return None

    def places_in(self, after: "Geometry") -> Floats | None:
        """Where its points are in a later state, float32 (n, 3), of copies float32 (k, 12): positions, and the rows of what turns
        and sizes them; None where the states have other elements."""
        if after.component != self.component or len(after.points) != len(self.points):
            return None
        return after.points

    def element_ids(self, triangles: NDArray[np.int64], copies: NDArray[np.int64]) -> NDArray[Any]:
        """The ids of what triangles belong to: the copy or piece, else the face's number. triangles, copies: int64 (n,)."""
        del copies
        topology = self.topology
        if not topology.faces:
            return np.zeros(len(triangles), np.int64)
        known = np.minimum(triangles, len(topology.triangles) - 1)
        if topology.parted is not None:
            return np.asarray(topology.parted.ids[topology.parted.of[topology.triangles[known, 0]]])
        return np.asarray(topology.triangle_faces[known])

    def piece_values(self) -> dict[str, NDArray[Any]]:
        """What is known of each piece besides its position and attributes, by name: (k,) or (k, 3)."""
        return {"rank": self.pieces.rank}

    def counts(self) -> dict[str, Any]:
        """Its numbers of elements by name, for reports."""
        counted: dict[str, Any] = {"points": len(self.points), "faces": self.topology.faces}
        if self.is_parted:
            counted.update(pieces=len(self.pieces), piece=self.piece_word)
        return counted

    def placed_pieces(
        self, positions: Floats, axes: Floats | None = None, sizes: Floats | None = None
    ) -> "Geometry | None":
        """The geometry with its pieces at other places, where their points need not be moved; else None.

        positions: float32 (k, 3); axes: float32 (k, 9), as they are if not given; sizes: float32 (k, 3), factors.
        """
        del positions, axes, sizes
        return None

    def showing_pieces(self, kept: Callable[[Floats], NDArray[np.bool_]]) -> "Geometry | None":
        """The geometry with some of its pieces hidden, where no faces need be removed for that; else None.

        kept: which pieces stay, by their ranks, float32 (k,) to bool (k,).
        """
        del kept
        return None

    def in_units(self, linear: NDArray[np.floating[Any]]) -> "Geometry":
        """The geometry in other units and another up axis. linear: float64 (3, 3), a rotation times a factor."""
        if np.array_equal(linear, np.eye(3)):
            return self
        return self.transformed(np.concatenate([linear, np.zeros((3, 1))], axis=1))

    def check_lengths(self, before: "Geometry | None" = None) -> None:
        """Raise GeometryError where arrays disagree with the elements they are for.

        before: the geometry it was made from; arrays shared with it are known to agree.
        """
        topology = self.topology
        same = before is not None and before.is_real and topology is before.topology
        if before is not None and same and len(self.points) != len(before.points):
            raise GeometryError("it returned another number of points for the same faces")
        if before is not None and same and self.attributes is before.attributes and self.at_rest is before.at_rest:
            return
        if not same and not topology.is_sound:
            raise GeometryError("it returned faces that name points that do not exist")
        points = len(self.points)
        if points != topology.points or len(self.rest) != points:
            raise GeometryError(
                f"it returned {points:,} points for faces over {topology.points:,} and {len(self.rest):,} at rest"
            )
        check_attributes(self.attributes, {domain: self.count(domain) for domain in Domain})

    def count(self, domain: Domain) -> int:
        """How many elements a domain has."""
        if domain is Domain.POINT:
            return len(self.points)
        if domain is Domain.FACE:
            return self.topology.faces
        if domain is Domain.CORNER:
            return len(self.topology.corners)
        return len(self.topology.pieces) if domain is Domain.PIECE else 1

    @property
    def pieces(self) -> Pieces:
        """What moves by itself; the whole mesh is one piece where nothing parted it."""
        return self.topology.pieces

    @property
    def piece_axes(self) -> Floats | None:
        """The own axes of the pieces there are, float32 (pieces, 9), three unit columns each; None where they have none."""
        return self.axes

    def moved(self, points: Floats, normals: Floats | None = None, axes: Floats | None = None) -> "Geometry":
        """The same mesh with its points elsewhere; everything else is shared. normals, axes: where they are known anew."""
        own = self.piece_axes if axes is None else axes
        made = Geometry(points, self.topology, self.attributes, self.at_rest, self.notes, own)
        if normals is not None:
            made.__dict__["normals"] = frozen(normals)
        if (Domain.CORNER, AUTHORED) in self.attributes:
            made.__dict__["shading"] = self.shading  # computed once, on a topology that all frames share
        return made

    def transformed(self, matrix: Matrix) -> "Geometry":
        """The mesh through a matrix, float64 (3, 4)."""
        axes = self.piece_axes
        if axes is not None:
            linear = matrix[:, :3] / np.maximum(np.linalg.norm(matrix[:, :3], axis=0), 1e-12)
            axes = np.einsum("ij,kjl->kil", linear, axes.reshape(-1, 3, 3)).reshape(-1, 9).astype(np.float32)
        return self.moved(transformed(self.points, matrix), axes=axes)

    def with_attribute(self, domain: Domain, name: str, values: NDArray[Any]) -> "Geometry":
        """The same mesh with one attribute added or replaced. Raises GeometryError for values a reserved name cannot hold."""
        if not fits(name, values):
            raise GeometryError(f"“{name}” is reserved for {RESERVED[name].meaning}: choose another name")
        attributes = {**self.attributes, (domain, name): frozen(values)}
        made = Geometry(self.points, self.topology, attributes, self.at_rest, axes=self.piece_axes)
        for known in _OF_PLACES:
            if known in self.__dict__:
                made.__dict__[known] = self.__dict__[known]
        made.solid, made.spine = self.solid, self.spine
        return made

    def attribute(self, domain: Domain, name: str) -> NDArray[Any] | None:
        """An attribute's values, or None where there is none of that name."""
        return self.attributes.get((domain, name))

    @property
    def point_ids(self) -> NDArray[np.int64] | None:
        """Numbers that stay with the points on all frames, int64 (n,); None where only their order tells them apart."""
        own = self.attribute(Domain.POINT, "id")
        return None if own is None else np.asarray(own, np.int64)

    @property
    def rest(self) -> Floats:
        """The points before any effect, float32 (n, 3), in the shape's own space."""
        return self.at_rest.positions

    @cached_property
    def normals(self) -> Floats:
        """Unit normals of the points, float32 (n, 3)."""
        out: Floats = frozen(self.topology.point_normals(self.points))
        return out

    @cached_property
    def _derived(self) -> Derived:
        return Derived(_MOST_DERIVED)

    def derived(self, key: Hashable, make: Callable[[], Made]) -> Made:
        """What is made from this very mesh, points included; the last few are kept with it. key: as `Rest.derived` has it."""
        return self._derived.get(key, make)

    @cached_property
    def shading(self) -> Shading | None:
        """Its points once for each side of a hard edge; None where it has no hard edges."""
        authored = self.attributes.get((Domain.CORNER, AUTHORED))
        if authored is None:
            return None
        # By content: effects that change faces carry them along anew on each frame, and mostly to the same values.
        key = "shading", hash(authored.tobytes())
        return self.topology.derived(key, lambda: _Shaded(shading_of(self.topology, authored))).shading

    @cached_property
    def shaded_normals(self) -> Floats:
        """Unit normals as they are shown, float32 (k, 3), one for each of `shading`; without hard edges those of the points."""
        shading = self.shading
        if shading is None:
            return self.normals
        return frozen(shading.normals(self.topology, self.points, self.__dict__.get("normals")))

    @property
    def corner_normals(self) -> Floats:
        """The same at the corners, float32 (corners, 3)."""
        shading = self.shading
        return self.shaded_normals[(self.topology if shading is None else shading.topology).corners]

    def mean_normals(self, of_corners: Floats) -> Floats:
        """The unit mean of what a point's corners face, float32 (n, 3). of_corners: float32 (corners, 3)."""
        means = self.to_points(Domain.CORNER, of_corners)
        lengths = np.sqrt(np.einsum("ij,ij->i", means, means))
        return np.asarray(means / np.maximum(lengths, np.float32(1e-20))[:, None], np.float32)

    def prepare(self) -> None:
        """Compute what every picture needs, so that drawing need not."""
        self.shaded_normals  # noqa: B018
        self.topology.triangles  # noqa: B018

    @cached_property
    def tree(self) -> Tree:
        """The tree that finds the nearest place on the surface. Raises GeometryError for a mesh without faces."""
        if not len(self.topology.triangles):
            raise GeometryError("the mesh has no faces")
        return tree_of(self.points, self.topology.triangles, self.at_rest.triangle_order(self.topology))

    @cached_property
    def outwards(self) -> Outwards:
        """Which way is out at each face, corner and edge of the triangles."""
        return outwards_of(self.points, self.topology.triangles, self.topology.triangle_edges)

    def on_points(self, name: str) -> NDArray[Any] | None:
        """An attribute's values on the points, wherever they are kept: means of corners or faces around; None if there is none.

        float32 (n,) or (n, k).
        """
        for domain in Domain:
            values = self.attributes.get((domain, name))
            if values is not None:
                return self.to_points(domain, np.asarray(values, np.float32))
        return None

    def to_points(self, domain: Domain, values: Floats) -> Floats:
        """Values of a domain on the points: means of the corners or faces around each, zero where there are none.

        values: float32 (count of the domain,) or (…, k). Returns float32 (n,) or (n, k).
        """
        if domain is Domain.POINT:
            return values
        if domain is Domain.WHOLE:
            return np.repeat(values.reshape(1, *values.shape[1:]), len(self.points), axis=0)
        if domain is Domain.PIECE:
            return np.asarray(values[self.topology.pieces.of])
        faces = domain is Domain.FACE
        return point_means(values, *(self.topology.faces_around if faces else self.topology.corners_around))

    @cached_property
    def bounds(self) -> tuple[Floats, Floats]:
        """Lowest and highest corner of the box around the points, two float32 (3,)."""
        if not len(self.points):
            zero = np.zeros(3, np.float32)
            return zero, zero
        return bounds(self.points)

    @property
    def nbytes(self) -> int:
        """Bytes of every array this mesh holds now, those it shares with others included."""
        return sum(array.nbytes for array in self.arrays())

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array this mesh holds now; states of one shape share most of them. Normals count before they are asked for."""
        yield self.points
        yield self.points if "normals" not in self.__dict__ else self.normals
        if "shaded_normals" in self.__dict__:
            yield self.shaded_normals
        yield from self.at_rest.arrays()
        if self.axes is not None:
            yield self.axes
        yield from self.attributes.values()
        yield from self.topology.arrays()
        if self.solid is not None:
            yield from self.solid.bricks.arrays()
        if "_derived" in self.__dict__:
            yield from self._derived.arrays()
        for name in ("tree", "outwards"):
            yield from (item for item in self.__dict__.get(name, ()) if isinstance(item, np.ndarray))


def check_attributes(attributes: Attributes, counts: Mapping[Domain, int]) -> None:
    """Raise GeometryError for attributes that have not one value per element. counts: the elements of each domain."""
    for (domain, name), values in attributes.items():
        if len(values) != counts[domain]:
            raise GeometryError(f"it left “{name}” with {len(values)} values")


class _Shaded(NamedTuple):
    """How a topology is shaded, if it has hard edges at all."""

    shading: Shading | None


def _check(points: Floats, corners: Indices, offsets: Indices) -> None:
    if len(points) > MOST_POINTS:
        raise GeometryError(f"{len(points):,} points are more than the {MOST_POINTS:,} that are allowed")
    bad = ~np.isfinite(points).all(axis=1)
    if bad.any():
        raise GeometryError(f"point {int(np.argmax(bad)) + 1} has a position that is not a number")
    if len(offsets) < 2:
        raise GeometryError("it has no faces")
    sizes = np.diff(offsets)
    if offsets[0] != 0 or offsets[-1] != len(corners) or (sizes < 3).any():
        face = int(np.argmax(sizes < 3)) + 1
        raise GeometryError(f"face {face} has fewer than three corners")
    if corners.min() < 0 or corners.max() >= len(points):
        wrong = int(np.argmax((corners < 0) | (corners >= len(points))))
        face = int(np.searchsorted(offsets, wrong, side="right"))
        raise GeometryError(f"face {face} names a point that does not exist (there are {len(points):,} points)")
