"""Coat: a layer over the surface whose thickness follows a falloff."""

from typing import Annotated, ClassVar

import numpy as np

from estompe.effects.voxels import VolumeEffect, colored
from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.faces import laid_together
from estompe.geometry.volumes.offsets import laid_over
from estompe.geometry.volumes.solid import THICKNESS, Solid, surface_of
from estompe.kernels.types import Floats
from estompe.kernels.volumes.band import blurred
from estompe.kinds.context import Context
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.settings import rgb, setting

COAT = "coat"
_UNDER = 2.5
"""How many voxels the layer goes down into the surface, so that its edge is where two surfaces cross."""
_SUNK = 6.0


@register
class Coat(VolumeEffect, tag="coat"):
    """The original stays as it is; the layer is a closed mesh over it, and ends exactly where the falloffs' reach ends."""

    recolors: ClassVar[bool | None] = True
    label: ClassVar[str] = "Coat"
    text: ClassVar[str] = (
        "Lays salt, snow or paint over the surface: thick near a control, gone exactly at its reach, its edge as the ramp says."
    )
    words: ClassVar[str] = (
        "snow, salt, paint, layer, frost, icing, crust, cover, deposit, dust, moss, water, dirt, foam, "
        "freeze, drip, wet"
    )

    thickness: Annotated[
        Number, setting("Thickness", "The thickness at full strength.", unit="length", low=0.0, high=1e4, step=0.005)
    ] = 0.05
    edge: Annotated[
        Number,
        setting(
            "Edge thickness",
            "The least thickness at the border, in voxels: less ends in a finer edge.",
            unit="times",
            low=0.0,
            high=4.0,
            folded=True,
        ),
    ] = 0.5
    smooth: Annotated[
        Number,
        setting(
            "Smoothing",
            "How far the layer flows together where surfaces meet: more rounds corners off.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.002,
        ),
    ] = 0.01
    hanging: Annotated[
        Number,
        setting(
            "Hanging",
            "How much thicker the layer is below surfaces that face down.",
            unit="times",
            low=0.0,
            high=8.0,
            step=0.05,
        ),
    ] = 0.0
    color: Annotated[
        Triple,
        rgb("Colour", "The colour of the layer: red, green and blue."),
    ] = (0.848, 0.828, 0.748)

    def reads(self) -> tuple[str, ...]:
        return (*super().reads(), "margin")

    def is_identity(self) -> bool:
        return plain(self.thickness) == 0.0

    def places(self, geometry: Geometry, context: Context) -> Geometry:
        size = self.size_of(geometry, context)
        room = self._most() + (_SUNK + 6.0) * size
        return surface_of(self.solid_of(geometry, context, room, half=size))

    def _most(self) -> float:
        return plain(self.thickness) * (1.0 + plain(self.hanging))

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        if not strength.any():
            return _bare(geometry)
        surface: Geometry = context.places
        solid: Solid = surface.solid
        heights = self._heights(surface, strength, context.margin)
        if not (heights > 0.0).any():
            return _bare(geometry)
        bricks = laid_over(surface, heights, _UNDER * solid.size, self._most() + solid.size, context.go_on)
        if not (bricks.values < 0.0).any():
            return _bare(geometry)
        if plain(self.smooth) > 0.0:
            bricks = blurred(bricks, min(plain(self.smooth) / solid.size, 6.0))
        layer = surface_of(solid.with_bricks(bricks), thickness=True)
        return self._over(geometry, layer, context)

    def _heights(self, surface: Geometry, strength: Floats, margin: Floats) -> Floats:
        """How high the layer stands at each point, scene units; beyond the reach it goes on down at 45 degrees, under the
        surface.
        """
        solid: Solid = surface.solid
        size = solid.size
        full = plain(self.thickness) * strength
        if plain(self.hanging):
            down = np.clip(-surface.normals[:, 1], 0.0, 1.0)
            full = full * (1.0 + np.float32(plain(self.hanging)) * down)
        least = np.minimum(np.float32(plain(self.edge) * size), margin.clip(0.0))
        inside = np.maximum(full, least)
        beyond = np.maximum(np.minimum(margin, np.float32(-0.01 * size)), np.float32(-_SUNK * size))
        heights = np.where(strength > 0.0, inside, np.where(margin < 0.0, beyond, np.float32(-_SUNK * size)))
        # An open surface was made a body around it first.
        return np.asarray(np.where(heights > 0.0, np.maximum(heights - solid.thin, 0.25 * size), heights), np.float32)

    def _over(self, geometry: Geometry, layer: Geometry, context: Context) -> Geometry:
        """The original and the layer as one mesh: the layer is a group of its own, with its thickness."""
        count = len(layer.points)
        own = np.broadcast_to(np.asarray(plain_triple(self.color), np.float32), (count, 3))
        layer = layer.with_attribute(Domain.POINT, "color", own)
        layer = layer.with_attribute(Domain.FACE, COAT, np.ones(layer.topology.faces, np.bool_))
        under = _bare(colored(geometry, context.shape_color))
        made = laid_together(_completed(under, layer), _completed(layer, under))
        both = frozen(np.concatenate([geometry.normals, layer.normals]))
        made = made.moved(made.points, both)
        made.layer = layer.solid
        return made


def _bare(mesh: Geometry) -> Geometry:
    """A mesh without a layer on it, with what tells that."""
    mesh = mesh.with_attribute(*THICKNESS, np.zeros(len(mesh.points), np.float32))
    return mesh.with_attribute(Domain.FACE, COAT, np.zeros(mesh.topology.faces, np.bool_))


def _completed(mesh: Geometry, other: Geometry) -> Geometry:
    """A mesh with the attributes of another that it has not, all zero, so that both can be laid together and lose nothing."""
    for (domain, name), values in other.attributes.items():
        if (domain, name) in mesh.attributes or domain is Domain.PIECE:
            continue
        own = values if domain is Domain.WHOLE else np.zeros((mesh.count(domain), *values.shape[1:]), values.dtype)
        mesh = mesh.with_attribute(domain, name, own)
    return mesh
