"""What a shape can be on any frame of a shot, found from its kinds before the first frame is computed.

Files say once for all frames how a shape is written. So that is decided by what its stages can give, and not by the first frame.
"""

from typing import NamedTuple

from estompe.document.scene import Shape
from estompe.evaluation.planning.shapes import domain_of
from estompe.geometry import Domain


class Potential(NamedTuple):
    """What a shape can be.

    stays_copies: no effect looks at points of its copies, so that none are made real; has_colors: its points or copies may have
    colours of their own; changes_faces: its faces may be others from frame to frame; comes_apart: it may consist of pieces.
    """

    stays_copies: bool
    has_colors: bool
    changes_faces: bool
    comes_apart: bool


def potential_of(shape: Shape) -> Potential:
    """Find what a shape can be on any frame; its numbers do not matter."""
    slots = [slot for slot in shape.effects if slot.enabled]
    copies = shape.source.makes_copies
    return Potential(
        copies and all(domain_of(slot) is Domain.PIECE for slot in slots),
        any(slot.effect.gives_colors() for slot in slots) or shape.source.animated,
        copies or shape.source.animated or any("topology" in slot.effect.alters for slot in slots),
        shape.source.makes_pieces or any(_parts(slot.effect.alters, slot.effect.makes_pieces) for slot in slots),
    )


def _parts(alters: tuple[str, ...], makes_pieces: bool) -> bool:
    return makes_pieces or ("topology" in alters and "rest" in alters)
