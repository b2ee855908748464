"""A mesh of an animated file, frame by frame."""

from typing import Annotated, ClassVar, Literal

from msgspec import Meta

from estompe.geometry import Geometry
from estompe.importing.footage import Footage, RestPose
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.numbers import Number, plain
from estompe.kinds.registry import register
from estompe.kinds.settings import setting
from estompe.shapes.shot import ShotSource


@register
class ShotMesh(ShotSource, tag="shot-mesh"):
    """A mesh of an animated file; what is at rest is the pose of one of its frames, or another prim of the file."""

    label: ClassVar[str] = "Mesh of a shot"
    text: ClassVar[str] = "A mesh of an animated file, read frame by frame."
    words: ClassVar[str] = "usd, gltf, animated mesh, character, reference, prim, point cache, layout, shot, import"

    rest: Annotated[
        Literal["first frame", "a frame", "another prim"],
        setting("Rest pose", "The pose that noise sticks to and that is cut."),
    ] = "first frame"
    rest_frame: Annotated[
        Number,
        setting(
            "Rest frame", "The frame whose pose is the rest.", unit="frames", step=1.0, when=("rest", ("a frame",))
        ),
    ] = 1.0
    rest_prim: Annotated[
        str,
        setting(
            "Rest prim",
            "A mesh of the same file with the same number of points.",
            editor="prim",
            when=("rest", ("another prim",)),
        ),
        Meta(max_length=4096),
    ] = ""

    def moving(self, context: Context) -> tuple[str, ...]:
        varies = self.footage_of(context).entry(self.prim).varies
        if "topology" in varies:
            return "points", "normals", "rest", "attributes", "topology"
        found = ["points", "normals"] if "points" in varies else []
        return (*found, "attributes") if "attributes" in varies else tuple(found)

    def assemble(self, context: Context) -> Geometry:
        footage = self.footage_of(context)
        entry = footage.entry(self.prim)
        if entry.kind != "mesh":
            raise CannotEvaluateError(f"{self.prim} is no mesh: choose another prim")
        return footage.geometry(self.prim, context.clock, rest_of(self, footage), context.go_on)  # type: ignore[no-any-return]


def rest_of(source: ShotMesh, footage: Footage) -> RestPose:
    """Which pose of its file stands at rest. Raises CannotEvaluateError where none is chosen."""
    first = footage.about.first
    if source.rest == "a frame":
        return RestPose("", footage.code(plain(source.rest_frame)))
    if source.rest == "another prim":
        if not source.rest_prim:
            raise CannotEvaluateError("no rest prim is chosen yet: choose one")
        return RestPose(source.rest_prim, first or 0.0)
    return RestPose("", first or 0.0)
