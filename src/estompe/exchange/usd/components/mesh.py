"""A mesh over time: points, normals, faces, UVs, colours, pieces, and strengths as primvars."""

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from estompe.baking.frames import driving
from estompe.document.names import clean_name
from estompe.document.scene import Color, Falloff, Shape
from estompe.evaluation import Frame
from estompe.exchange.potential import Potential, potential_of
from estompe.exchange.usd.components.writer import ComponentWriter, writes
from estompe.exchange.usd.samples import StrengthNames, TimeSamples, identifier
from estompe.geometry import Domain, Geometry
from estompe.geometry.pieces import Pieces
from estompe.importing.usd_faces import NORMALS
from estompe.kernels.types import Floats

_PLAIN = Potential(stays_copies=False, has_colors=False, changes_faces=False, comes_apart=False)
_NONE = np.zeros(0, np.bool_)


@writes("mesh")
class MeshWriter(ComponentWriter):
    """Writes a shape's mesh; values that do not change are written once.

    over: the mesh as the prim has it already; nothing but what differs from it is said then. original: that mesh on the frame
    that is written next.
    """

    def __init__(self, stage: Any, name: str, path: str, over: Geometry | None = None) -> None:
        from pxr import UsdGeom

        self.original = over
        self._over = over is not None
        if self._over:
            self._mesh = UsdGeom.Mesh(stage.OverridePrim(path))
        else:
            self._mesh = UsdGeom.Mesh.Define(stage, path)
            self._mesh.GetPrim().SetDisplayName(clean_name(name))
        self._samples = TimeSamples()
        self._names = StrengthNames()
        self._started = False
        self._potential = _PLAIN
        self._other_faces = self._by_corners = False
        self._subsets: dict[str, Any] = {}
        # How many corners and faces there were from which frame on, for values that begin later in the shot.
        self._counts: list[tuple[float, int, int]] = []
        self._same_since: tuple[Geometry, float] | None = None
        self._same_until = 0.0
        self._primvars = UsdGeom.PrimvarsAPI(self._mesh)

    def add_as(self, frame: Frame, shape: Shape, geometry: Geometry, number: float) -> None:
        """Write a shape's mesh at a time code, and the strength of each falloff that drives it."""
        self._potential = potential_of(shape)
        self.add_mesh(geometry, shape.color, number)
        for falloff, shown in driving(frame, shape):
            values = shown.strength
            by_face = shown.domain is Domain.FACE and not self._potential.changes_faces
            if not by_face and shown.domain is not Domain.POINT:
                values = frame[shape.id].to_points(shown.domain, values)
            self._add_strength(falloff, values, number, by_face)

    def add_mesh(self, geometry: Geometry, color: Color, number: float) -> None:
        """Write a mesh on a frame. color: what it has where it has none of its own."""
        from pxr import Vt

        if not self._started:
            self._start(geometry)
        if not self._over or self._differs(geometry):
            self._say_same_faces()
            self._add_faces(geometry, number)
        else:
            self._same_since = self._same_since or (geometry, number)
            self._same_until = number
        self._add_groups(geometry, number)
        self._note_counts(geometry, number)
        self._add_color(geometry, color, number)
        self._samples.changing("points", geometry.points, number, self._mesh.GetPointsAttr(), Vt.Vec3fArray)
        extent = np.stack(geometry.bounds)
        self._samples.changing("extent", extent, number, self._mesh.GetExtentAttr(), Vt.Vec3fArray)
        normals = geometry.corner_normals if self._by_corners else geometry.normals
        self._samples.changing("normals", normals, number, self._mesh.GetNormalsAttr(), Vt.Vec3fArray)

    def unbind(self) -> None:
        """Tie the prim to no skeleton any more: its points are where skinning brought them, and further."""
        from pxr import UsdSkel

        binding = UsdSkel.BindingAPI.Apply(self._mesh.GetPrim())
        for relationship in (binding.CreateSkeletonRel(), binding.CreateBlendShapeTargetsRel()):
            relationship.SetTargets([])
        binding.CreateBlendShapesAttr([])

    def _start(self, geometry: Geometry) -> None:
        from pxr import UsdGeom

        self._started = True
        mesh = self._mesh
        mesh.CreatePointsAttr()
        mesh.CreateNormalsAttr()
        mesh.CreateExtentAttr()
        # How normals are laid out holds for all frames: a mesh has hard edges from the first one on, or is taken as smooth.
        self._by_corners = geometry.shading is not None
        mesh.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying if self._by_corners else UsdGeom.Tokens.vertex)
        if self._over:
            primvar = self._primvars.GetPrimvar(NORMALS)
            if primvar and primvar.HasValue():
                primvar.GetAttr().Block()  # it would go before the ones that are said here
            return
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)

    def _note_counts(self, geometry: Geometry, number: float) -> None:
        corners, faces = len(geometry.topology.corners), geometry.topology.faces
        if not self._counts or self._counts[-1][1:] != (corners, faces):
            self._counts.append((number, corners, faces))

    def _add_groups(self, geometry: Geometry, number: float) -> None:
        """The groups of faces; one that begins later, or ends, is empty on the other frames."""
        from pxr import UsdGeom, Vt

        if self._over:
            return
        groups = {
            name: members
            for (domain, name), members in geometry.attributes.items()
            if domain is Domain.FACE and members.dtype == np.bool_
        }
        for name in (*self._subsets, *(name for name in groups if name not in self._subsets)):
            if name not in self._subsets:
                word = identifier(name, set())
                made = UsdGeom.Subset.CreateUniqueGeomSubset(self._mesh, word, UsdGeom.Tokens.face, Vt.IntArray())
                self._subsets[name] = made.GetIndicesAttr()
                for earlier, _, _ in self._counts:
                    self._samples.steady(f"group {name}", object(), Vt.IntArray, earlier, self._subsets[name])
            members = groups.get(name, _NONE)
            indices = partial(_members, members)
            self._samples.steady(f"group {name}", members, indices, number, self._subsets[name])

    def _differs(self, geometry: Geometry) -> bool:
        """Whether the faces are, or once were, others than the original's."""
        if self.original is not None and not self._other_faces:
            before, after = self.original.topology, geometry.topology
            self._other_faces = before is not after and not (
                np.array_equal(before.corners, after.corners) and np.array_equal(before.offsets, after.offsets)
            )
        return self._other_faces

    def _say_same_faces(self) -> None:
        """On the frames before the first that differs the faces are the original's, which has to be said from then on."""
        if self._same_since is not None:
            geometry, first = self._same_since
            self._same_since = None
            for number in (first, self._same_until):
                self._add_faces(geometry, number)

    def _add_faces(self, geometry: Geometry, number: float) -> None:
        """What mostly stays: faces and UVs. It is written once, and over time only where an effect changes it."""
        from pxr import Sdf, UsdGeom, Vt

        topology, mesh = geometry.topology, self._mesh
        steady, integers = self._samples.steady, Vt.IntArray.FromNumpy
        attribute = mesh.CreateFaceVertexCountsAttr()
        steady("counts", topology, lambda: integers(np.diff(topology.offsets)), number, attribute)
        steady("indices", topology, lambda: integers(topology.corners), number, mesh.CreateFaceVertexIndicesAttr())
        self._add_uv(geometry, number)
        pieces = topology.parted
        if pieces is None and self._potential.comes_apart:
            pieces = topology.pieces  # on frames on which it is whole, all of it is one
        if pieces is not None:
            made = self._primvars.CreatePrimvar("piece", Sdf.ValueTypeNames.Int64Array, UsdGeom.Tokens.vertex)
            steady("piece", pieces, partial(_ids, pieces), number, made.GetAttr())

    def _add_uv(self, geometry: Geometry, number: float) -> None:
        """UVs by corners where faces may change, since effects bring them from corners to points and back."""
        from pxr import Sdf, UsdGeom, Vt

        by_corner, by_point = (geometry.attribute(domain, "uv") for domain in (Domain.CORNER, Domain.POINT))
        uv = by_point if by_corner is None else by_corner
        known = self._samples.has("st")
        if uv is None and not known:
            return
        corners = by_corner is not None or self._potential.changes_faces
        kind = UsdGeom.Tokens.faceVarying if corners else UsdGeom.Tokens.vertex
        made = self._primvars.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, kind)
        if not known:
            for earlier, count, _ in self._counts:
                self._samples.steady("st", object(), partial(_no_places, count), earlier, made.GetAttr())
        count = len(geometry.topology.corners) if corners else len(geometry.points)
        spread = corners and by_corner is None and uv is not None

        def places() -> Any:
            if uv is None:
                return _no_places(count)
            own = uv[geometry.topology.corners] if spread else uv
            return Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(own[:, :2], np.float32))

        owner = geometry.topology if uv is None or spread else uv
        self._samples.steady("st", owner, places, number, made.GetAttr())

    def _add_color(self, geometry: Geometry, base: Color, number: float) -> None:
        from pxr import Sdf, UsdGeom, Vt

        color = geometry.attribute(Domain.POINT, "color")
        if self._potential.has_colors and color is None:
            # Write the base colour where the effect gives none, so that USD does not interpolate across the gap.
            color = np.tile(np.array(base, np.float32), (len(geometry.points), 1))
        elif self._over and (color is None or color is self._own_color()):
            return
        interpolation = UsdGeom.Tokens.constant if color is None else UsdGeom.Tokens.vertex
        made = self._primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, interpolation)
        owner = base if color is None else color

        def plain() -> Any:
            colors = np.array([base], np.float32) if color is None else np.ascontiguousarray(color[:, :3], np.float32)
            return Vt.Vec3fArray.FromNumpy(colors)

        self._samples.steady("displayColor", owner, plain, number, made.GetAttr())

    def _own_color(self) -> Any:
        return None if self.original is None else self.original.attribute(Domain.POINT, "color")

    def _add_strength(self, falloff: Falloff, values: Floats, number: float, by_face: bool) -> None:
        from pxr import Sdf, UsdGeom, Vt

        how = UsdGeom.Tokens.uniform if by_face else UsdGeom.Tokens.vertex
        primvar = self._primvars.CreatePrimvar(self._names.of(falloff), Sdf.ValueTypeNames.FloatArray, how)
        self._samples.changing(falloff.id, values, number, primvar.GetAttr(), Vt.FloatArray)


def _members(members: NDArray[np.bool_]) -> Any:
    from pxr import Vt

    return Vt.IntArray.FromNumpy(np.flatnonzero(members).astype(np.int32))


def _ids(pieces: Pieces) -> Any:
    from pxr import Vt

    return Vt.Int64Array.FromNumpy(pieces.ids[pieces.of])


def _no_places(count: int) -> Any:
    from pxr import Vt

    return Vt.Vec2fArray.FromNumpy(np.zeros((count, 2), np.float32))
