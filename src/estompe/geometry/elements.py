"""What a falloff is asked about: elements that get one strength each."""

from collections.abc import Callable
from typing import Any

from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry
from estompe.geometry.matching import identity_digest, matched
from estompe.geometry.over_surface import beside, followed, from_place, from_strength
from estompe.geometry.pieces import Ids
from estompe.geometry.samples import samples_of, through_uvs
from estompe.geometry.transforms import Matrix
from estompe.geometry.volumes.closing import border_loops
from estompe.kernels.types import Floats, Indices


class Elements:
    """The points, faces or pieces of a mesh as sources see them. Only what a source declares in `reads` is handed out.

    reads: names of arrays, or None for all of them; undeclared: what to raise, with words, for others; domain: which elements.
    """

    __slots__ = ("_geometry", "_reads", "_samples", "_undeclared")

    def __init__(
        self,
        geometry: Geometry,
        reads: tuple[str, ...] | None = None,
        undeclared: Callable[[str], Exception] = RuntimeError,
        domain: Domain = Domain.POINT,
    ) -> None:
        self._geometry, self._reads, self._undeclared = geometry, reads, undeclared
        self._samples = samples_of(geometry, domain)

    def __len__(self) -> int:
        return len(self._samples)

    def _check(self, name: str) -> None:
        if self._reads is not None and name not in self._reads:
            raise self._undeclared(f"it looks at {name} without declaring so in reads()")

    @property
    def domain(self) -> Domain:
        """Which elements these are."""
        return self._samples.domain

    @property
    def positions(self) -> Floats:
        """Where the elements are, or their middles, float32 (n, 3), world space, scene units. Declared as "points"."""
        self._check("points")
        return self._samples.positions

    @property
    def normals(self) -> Floats:
        """Unit normals, float32 (n, 3), world space; of a copy its own Y axis. Declared as "normals"."""
        self._check("normals")
        return self._samples.normals

    @property
    def rest(self) -> Floats:
        """Positions before placing and effects, float32 (n, 3), local space. Declared as "rest"."""
        self._check("rest")
        return self._samples.rest

    def rest_extent(self, axis: int) -> tuple[float, float]:
        """The lowest and highest rest position along an axis (0 is X), scene units. Declared as "rest"."""
        self._check("rest")
        return self._samples.rest_extent(axis)

    @property
    def ids(self) -> Ids:
        """Numbers that stay with the elements, int64 (n,)."""
        return self._samples.ids

    @property
    def identity(self) -> bytes:
        """What tells these elements from others in any process, 16 bytes; the same for the same elements on any frame."""
        return identity_digest(self._geometry, self._samples.domain)

    def numbers_in(self, other: "Elements") -> Ids | None:
        """Find these elements among those of the same shape on another frame, int64 (n,), -1 where one does not exist there.

        None where all numbers are the same. Raises GeometryError where elements cannot be told from one another.
        """
        return matched(self._geometry, other._geometry, self._samples.domain)

    @property
    def pairs(self) -> Indices:
        """Elements next to each other, each pair once, int32 (e, 2). Declared as "topology"."""
        self._check("topology")
        return self._samples.pairs

    @property
    def neighbours(self) -> tuple[Indices, Indices]:
        """Elements next to each: starts, int32 (n + 1,), and members, int32. Declared as "topology"."""
        self._check("topology")
        return self._samples.neighbours

    @property
    def neighbour_blocks(self) -> tuple[Indices, Indices]:
        """The blocks of elements next to each block, as `estompe.kernels.spread` wants them. Declared as "topology"."""
        self._check("topology")
        return self._samples.neighbour_blocks

    def way_from_strength(self, linear: Matrix, strength: Floats, speed: Floats | None = None) -> Floats:
        """How far over the surface at rest each element is from where a strength is over one half, float32 (n,), scene units.

        linear: the shape's rotation and scale, float64 (3, 3); speed: 0..1 for each element. Declared as "rest" and "topology".
        """
        self._check("rest")
        self._check("topology")
        return from_strength(self._geometry, self.domain, linear, strength, speed)

    def way_from_place(self, linear: Matrix, place: Matrix, speed: Floats | None = None) -> Floats:
        """The same from the place of the surface nearest to another in the world. Declared as "points", "rest" and "topology"."""
        for name in ("points", "rest", "topology"):
            self._check(name)
        return from_place(self._geometry, self.domain, linear, place, speed)

    def beside(self, linear: Matrix, strength: Floats, caught: Matrix, slowness: Matrix) -> Matrix:
        """When a front comes to those right beside where a strength is over one half, as `over_surface.beside` has it.

        Declared as "rest" and "topology".
        """
        self._check("rest")
        self._check("topology")
        return beside(self._geometry, self.domain, linear, strength, caught, slowness)

    def followed(self, linear: Matrix, caught: Matrix, slowness: Matrix, now: float, until: float) -> Matrix:
        """When a front that is followed for some time catches each, as `estompe.geometry.over_surface.followed` has it.

        Declared as "rest" and "topology".
        """
        self._check("rest")
        self._check("topology")
        return followed(self._geometry, self.domain, linear, caught, slowness, now, until)

    @property
    def of_volume(self) -> bool:
        """Whether these are places of a volume, and no elements of the mesh that it was begun from."""
        return self._geometry.solid is not None

    @property
    def are_copies(self) -> bool:
        """Whether these are copies that are not made real."""
        return self._geometry.component == "copies" and self._samples.domain is Domain.PIECE

    def border_loops(self) -> list[Floats]:
        """The open borders of the mesh at rest as rings, float32 (k, 3) each; none for a closed one. Declared as "topology"."""
        self._check("topology")
        topology, rest = self._geometry.topology, self._geometry.rest
        loops = topology.derived("border loops", lambda: tuple(border_loops(topology)))
        return [rest[loop] for loop in loops]

    def attribute(self, name: str) -> NDArray[Any] | None:
        """A stored attribute on the elements, float32 (n,) or (n, k); None if there is none. Declared as "attributes"."""
        self._check("attributes")
        return self._samples.values(name)

    def attribute_names(self) -> list[str]:
        """The names of all stored attributes, sorted. Declared as "attributes"."""
        self._check("attributes")
        return sorted({name for _, name in self._geometry.attributes})

    def through_uvs(self, sample: Callable[[Floats], Floats]) -> Floats | None:
        """Values sampled at the UVs, float32 (n,); None without UVs. Declared as "attributes".

        sample: takes UVs, float32 (k, 2), and gives float32 (k,). UVs at corners are sampled there and averaged, so that
        seams do not blur.
        """
        self._check("attributes")
        return through_uvs(self._geometry, self._samples.domain, sample)
