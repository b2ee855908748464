"""Animated copies that were taken into the scene: where they are on each frame is stored beside it, and their forms once."""

from typing import Annotated, ClassVar, Literal

import numpy as np

from estompe.document.scene import AssetName
from estompe.geometry import Domain, Geometry, GeometryError, frozen
from estompe.geometry.colors import as_linear
from estompe.geometry.copies import Copies
from estompe.geometry.derived import Derived
from estompe.geometry.pieces import even_ranks
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERYTHING, ShapeSource
from estompe.kinds.part import Part
from estompe.kinds.registry import register
from estompe.kinds.settings import setting, whole
from estompe.shapes.imported import ImportedMesh
from estompe.shapes.stored_frames import blended, held


class StoredOverTime(Part):
    """Arrays of copies on consecutive frames, each (frames, copies, …), of one frame where nothing changes.

    color_values: "display" where a scene of version 9 kept the colours.
    """

    positions: AssetName
    axes: AssetName
    scales: AssetName
    shown: AssetName
    color: AssetName | None = None
    color_values: Literal["as they are", "display"] = "as they are"


@register
class EmbeddedCopies(ShapeSource, tag="embedded-copies"):
    """Copies on consecutive frames; in between where they are is blended, outside it is held."""

    label: ClassVar[str] = "Embedded copies"
    text: ClassVar[str] = "Animated copies whose frames are stored with the scene."
    words: ClassVar[str] = (
        "animated copies, stored instances, baked, cache, frames, point instancer, instance cache, sequence"
    )
    group: ClassVar[str] = "from files"
    animated: ClassVar[bool] = True
    makes_pieces: ClassVar[bool] = True
    makes_copies: ClassVar[bool] = True

    forms: Annotated[tuple[ImportedMesh, ...], setting("Forms", "The meshes that are copied.", editor="hidden")]
    form: Annotated[AssetName, setting("Form", "Which form each copy has.", editor="hidden")]
    ids: Annotated[AssetName, setting("Ids", "The number that stays with each copy.", editor="hidden")]
    frames: Annotated[StoredOverTime, setting("Frames", "Where the copies are, frame by frame.", editor="hidden")]
    first: Annotated[int, whole("First frame", "The frame of the first stored places.", low=-(10**6), high=10**6)] = 1
    file: Annotated[str, setting("From", "The file they were taken from.", editor="hidden")] = ""

    def clock(self, _seconds: float, frame: float) -> float:
        return frame

    def moving(self, context: Context) -> tuple[str, ...]:
        stored = (self.frames.positions, self.frames.axes, self.frames.scales, self.frames.shown)
        return EVERYTHING if any(len(context.array(name)) > 1 for name in stored) else ()

    def assemble(self, context: Context) -> Geometry:
        at = context.clock - self.first
        frames, form, ids = self.frames, context.array(self.form), context.array(self.ids)
        positions, axes = (blended(context.array(name), at) for name in (frames.positions, frames.axes))
        scales, shown = blended(context.array(frames.scales), at), held(context.array(frames.shown), at)
        count = len(ids)
        if not len(positions) == len(axes) == len(scales) == len(shown) == len(form) == count:
            raise CannotEvaluateError("its stored frames do not fit together: import it again")
        if count and not 0 <= int(form.min()) <= int(form.max()) < len(self.forms):
            raise CannotEvaluateError("a copy has a form that is not stored: import it again")
        pieces = {}
        if frames.color is not None:
            color = held(context.array(frames.color), at)
            pieces[Domain.PIECE, "color"] = as_linear(color) if frames.color_values == "display" else color
        try:
            return Copies(
                self._meshes(context), form.astype(np.int32), positions, _unit(axes), scales, frozen(ids),
                even_ranks(ids), shown, pieces,
            )  # fmt: skip
        except GeometryError as error:
            raise CannotEvaluateError(f"its copies cannot be used: {error}") from None

    def _meshes(self, context: Context) -> tuple[Geometry, ...]:
        """The forms, the same objects as long as they are the same ones."""
        key = tuple(_names(form) for form in self.forms)
        return _FORMS.get(
            key,
            lambda: tuple(form.build({name: context.array(name) for name in _names(form)}) for form in self.forms),
        )


_FORMS = Derived(64)


def _names(form: ImportedMesh) -> tuple[str, ...]:
    return (form.points, form.corners, form.offsets, *(item.asset for item in form.attributes))


def _unit(axes: Floats) -> Floats:
    """Blended axes as long as they were: unit columns, float32 (k, 9)."""
    columns = axes.reshape(-1, 3, 3)
    return frozen((columns / np.maximum(np.linalg.norm(columns, axis=1, keepdims=True), 1e-12)).reshape(-1, 9))
