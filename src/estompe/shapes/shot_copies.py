"""Copies of an animated file: those of a point instancer, or the native instances of one prototype."""

from typing import ClassVar

from estompe.geometry import Geometry
from estompe.importing.footage import RestPose
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERYTHING
from estompe.kinds.registry import register
from estompe.shapes.shot import ShotSource


@register
class ShotCopies(ShotSource, tag="shot-copies"):
    """Copies of an animated file, read frame by frame."""

    label: ClassVar[str] = "Copies of a shot"
    text: ClassVar[str] = "Copies of an animated file: a point instancer, or instances of one prototype."
    words: ClassVar[str] = "usd, instances, point instancer, instance, reference, prim, shot, crowd, import"
    makes_pieces: ClassVar[bool] = True
    makes_copies: ClassVar[bool] = True

    def moving(self, context: Context) -> tuple[str, ...]:
        return EVERYTHING if self.footage_of(context).moves(self.prim) else ()

    def assemble(self, context: Context) -> Geometry:
        footage = self.footage_of(context)
        if footage.entry(self.prim).kind != "copies":
            raise CannotEvaluateError(f"{self.prim} is no copies: choose another prim")
        return footage.geometry(self.prim, context.clock, RestPose("", 0.0), context.go_on)  # type: ignore[no-any-return]
