"""What pictures are drawn into, kept from one picture to the next."""

from typing import Any, NamedTuple

_MOST_PIXELS = 80_000_000


class RenderError(RuntimeError):
    """No picture can be drawn on this machine; the text says what to install."""


class Target(NamedTuple):
    """Where a picture of one size is drawn, and what it is read from."""

    drawn: Any
    read: Any
    size: tuple[int, int]
    samples: int


class Targets:
    """Targets of a graphics context, one for each number of samples and type of numbers."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._targets: dict[tuple[int, str], Target] = {}

    def of(self, size: tuple[int, int], samples: int, kind: str = "f1") -> Target:
        """The target of a size, with so many samples and a type of numbers. Raises RenderError where it is too large."""
        found = self._targets.get((samples, kind))
        if found is not None and found.size == size:
            return found
        self._check_size(size)
        if found is not None:
            _release(found)
        context = self._context
        read = context.framebuffer([context.renderbuffer(size, 4, dtype=kind)], context.depth_renderbuffer(size))
        drawn = read
        if samples:
            color, depth = context.renderbuffer(size, 4, samples, dtype=kind), context.depth_renderbuffer(size, samples)
            drawn = context.framebuffer([color], depth)
        self._targets[samples, kind] = Target(drawn, read, size, samples)
        return self._targets[samples, kind]

    def _check_size(self, size: tuple[int, int]) -> None:
        most = min(int(self._context.info["GL_MAX_RENDERBUFFER_SIZE"]), *self._context.info["GL_MAX_VIEWPORT_DIMS"])
        if max(size) > most or size[0] * size[1] > _MOST_PIXELS:
            raise RenderError(
                f"a picture of {size[0]}x{size[1]} is more than this machine can draw: at most {most} on a side, "
                f"and {_MOST_PIXELS // 10**6} million pixels"
            )

    def release(self) -> None:
        """Give the graphics memory back."""
        for target in self._targets.values():
            _release(target)
        self._targets.clear()


def _release(target: Target) -> None:
    for framebuffer in {target.drawn, target.read}:
        release_framebuffer(framebuffer)


def release_framebuffer(framebuffer: Any) -> None:
    """Give a framebuffer back with what it draws into: alone it leaves that behind."""
    for part in (*framebuffer.color_attachments, framebuffer.depth_attachment):
        part.release()
    framebuffer.release()
