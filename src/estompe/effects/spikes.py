"""Spikes: faces grow out of the surface by their strength."""

from typing import Annotated, Any, ClassVar

import numpy as np
from numpy.typing import NDArray

from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.pieces import Pieces
from estompe.geometry.random import random_of
from estompe.geometry.rest import Rest
from estompe.geometry.samples import samples_of
from estompe.geometry.topology import Topology
from estompe.kernels.types import Floats
from estompe.kinds.context import Context
from estompe.kinds.kind import ActsOn, Effect
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole

GROUP = "spikes"


@register
class Spikes(Effect, tag="spikes"):
    """Each chosen face is extruded along its normal, as high as its strength says and narrower towards the tip.

    The faces of spikes have points of their own and form the group "spikes".
    """

    group: ClassVar[str] = "grow"
    acts: ClassVar[tuple[ActsOn, ...]] = ("faces",)
    alters: ClassVar[tuple[str, ...]] = ("points", "normals", "rest", "attributes", "topology")
    recolors: ClassVar[bool | None] = False
    label: ClassVar[str] = "Spikes"
    text: ClassVar[str] = (
        "Extrudes faces by their strength into spikes or crystals; a share of them, of random heights."
    )
    words: ClassVar[str] = "extrude, crystals, thorns, scales, scaly, quills, needles, inset, spines, studs, barnacles"

    height: Annotated[Number, setting("Height", "The height at full strength.", unit="length", step=0.005)] = 0.2
    taper: Annotated[
        Number,
        setting("Taper", "How much narrower the tip is: 1 is a point.", unit="fraction", low=0.0, high=1.0, step=0.01),
    ] = 1.0
    share: Annotated[
        Number,
        setting(
            "Share",
            "The share of faces that get a spike, chosen at random.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.35
    uneven: Annotated[
        Number,
        setting(
            "Height variation",
            "The random difference of heights: more makes some spikes lower.",
            unit="fraction",
            low=0.0,
            high=1.0,
            step=0.01,
        ),
    ] = 0.5
    lean: Annotated[
        Number,
        setting(
            "Lean", "The random lean of tips, relative to the height.", unit="fraction", low=0.0, high=2.0, step=0.01
        ),
    ] = 0.0
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed chooses other faces.", low=0, high=2**31 - 1)
    ] = 1

    def is_identity(self) -> bool:
        return plain(self.height) == 0.0 or plain(self.share) == 0.0

    def apply(self, geometry: Geometry, strength: Floats, context: Context) -> Geometry:
        del context
        ids = np.arange(geometry.topology.faces)
        chosen = (strength > 0.0) & (random_of(ids, self.seed) < plain(self.share))
        if not chosen.any():
            # Always add the group, so that references to it hold on every frame.
            return geometry.with_attribute(Domain.FACE, GROUP, chosen)
        faces = np.flatnonzero(chosen)
        made: _Extruded = geometry.topology.derived(
            ("spikes", chosen.tobytes()), lambda: _extruded(geometry.topology, faces)
        )
        heights = plain(self.height) * strength[faces] * (1.0 - plain(self.uneven) * random_of(faces, self.seed + 1))
        tips = self._tips(geometry, faces, heights.astype(np.float32), made)
        attributes = {key: made.carry(key[0], values) for key, values in geometry.attributes.items()}
        attributes[Domain.FACE, GROUP] = frozen(made.parents[1])
        rest = frozen(np.concatenate([geometry.rest, geometry.rest[made.base], geometry.rest[made.base]]))
        points = np.concatenate([geometry.points, geometry.points[made.base], tips])
        return Geometry(points, made.topology, attributes, Rest(rest), axes=geometry.piece_axes)

    def _tips(self, geometry: Geometry, faces: NDArray[np.int64], heights: Floats, made: "_Extruded") -> Floats:
        elements = samples_of(geometry, Domain.FACE)
        middles, normals = elements.positions[faces], elements.normals[faces]
        aside = np.stack([random_of(faces, self.seed + 2 + k) - np.float32(0.5) for k in range(3)], axis=1)
        steps = (normals + 2 * np.float32(plain(self.lean)) * aside) * heights[:, None]
        narrow = np.float32(1.0 - plain(self.taper))
        base = geometry.points[made.base]
        own = middles[made.of]
        return np.asarray(own + (base - own) * narrow + steps[made.of], np.float32)


class _Extruded:
    """The parts that do not depend on heights: the topology, the base points by corner, and each one's spike.

    parents: the old face of each new one, int64, and which faces are of spikes.
    """

    def __init__(
        self,
        topology: Topology,
        base: NDArray[np.int32],
        of: NDArray[np.int64],
        corners: NDArray[np.int64],
        parents: tuple[NDArray[np.int64], NDArray[np.bool_]],
    ) -> None:
        self.topology, self.base, self.of, self.corners, self.parents = topology, base, of, corners, parents

    def arrays(self) -> Any:
        """Every array held here, for counting memory."""
        yield from (self.base, self.of, self.corners, *self.parents)
        yield from self.topology.arrays()

    def carry(self, domain: Domain, values: NDArray[Any]) -> NDArray[Any]:
        """An attribute on the new elements."""
        if domain is Domain.POINT:
            return frozen(np.concatenate([values, values[self.base], values[self.base]]))
        if domain is Domain.CORNER:
            return frozen(values[self.corners])
        return frozen(values[self.parents[0]]) if domain is Domain.FACE else values


def _extruded(topology: Topology, faces: NDArray[np.int64]) -> _Extruded:
    """Faces replaced by spikes: a tip of the same corners, and a quad along each side, over points of their own."""
    offsets, sizes = topology.offsets.astype(np.int64), np.diff(topology.offsets).astype(np.int64)
    chosen = np.zeros(topology.faces, np.bool_)
    chosen[faces] = True
    counts = sizes[faces]
    of = np.repeat(np.arange(len(faces)), counts)
    begins = np.cumsum(counts) - counts
    within = np.arange(len(of)) - begins[of]
    corner = offsets[faces][of] + within
    base = topology.corners[corner]
    low = topology.points + np.arange(len(of))
    high = low + len(of)
    following = np.arange(len(of)) + 1
    following[begins + counts - 1] = begins
    quads = np.stack([low, low[following], high[following], high], axis=1)
    quad_corners = np.stack([corner, corner[following], corner[following], corner], axis=1)
    kept = np.flatnonzero(~chosen)
    kept_corners = np.flatnonzero(np.repeat(~chosen, sizes))
    corners = np.concatenate([topology.corners[kept_corners], high, quads.reshape(-1)])
    made_sizes = np.concatenate([sizes[kept], counts, np.full(len(of), 4)])
    parents = np.concatenate([kept, faces, faces[of]])
    spiky = np.arange(len(parents)) >= len(kept)
    pieces = None
    if topology.parted is not None:
        before = topology.parted
        owners = np.concatenate([before.of, before.of[base], before.of[base]])
        pieces = Pieces(frozen(owners), before.ids, before.rank, before.word, pairs=before.pairs)
    made = Topology(
        frozen(corners.astype(np.int32)),
        frozen(np.concatenate([[0], np.cumsum(made_sizes)]).astype(np.int32)),
        topology.points + 2 * len(of),
        pieces,
    )
    every = np.concatenate([kept_corners, corner, quad_corners.reshape(-1)])
    return _Extruded(made, base, of, every, (parents, spiky))
