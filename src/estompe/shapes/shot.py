"""What shapes from animated files share: the file, the prim, and what is read of it on a frame."""

from typing import Annotated, ClassVar

from msgspec import Meta

from estompe.importing.footage import Footage
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import ShapeSource
from estompe.kinds.settings import setting


class ShotSource(ShapeSource):
    """A prim of an animated file, read when a frame is asked for; nothing of it is in the scene."""

    group: ClassVar[str] = "from files"
    animated: ClassVar[bool] = True

    file: Annotated[str, setting("File", "The animated file.", editor="footage"), Meta(max_length=4096)] = ""
    prim: Annotated[str, setting("Prim", "The prim of the file.", editor="prim"), Meta(max_length=4096)] = ""

    def clock(self, _seconds: float, frame: float) -> float:
        return frame

    def footage_of(self, context: Context) -> Footage:
        """The file, open. Raises CannotEvaluateError."""
        if not self.file:
            raise CannotEvaluateError("no animated file is chosen yet: choose one")
        return context.footage(self.file)  # type: ignore[no-any-return]
