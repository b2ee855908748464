"""What a worker is told, as plain text: a scene file in a folder that all see, what is made of it, and where that goes."""

from pathlib import Path

import msgspec

from estompe.document.scene import Scene
from estompe.kinds.remembering import RememberingEffect, RememberingSource
from estompe.output.spec import OutputSpec


class Job(msgspec.Struct, frozen=True):
    """A run.

    spec: what is written where; scene: a copy of the scene that nobody edits; parts: a folder for what is not whole yet; states:
    where what the scene remembers is kept; threads: with which a worker computes, 0 for all.
    """

    spec: OutputSpec
    scene: str
    parts: str
    states: str
    threads: int = 0

    def encoded(self) -> str:
        """As text, to be sent to a worker."""
        return msgspec.json.encode(self).decode()

    def part(self, first: int) -> Path:
        """The layer of the chunk that begins with a frame."""
        return Path(self.parts) / f"{first:+08d}.usdc"


def decoded(text: str) -> Job:
    """A job from its text. Raises msgspec.ValidationError."""
    return msgspec.json.decode(text, type=Job)


def remembers(scene: Scene) -> bool:
    """Whether anything in a scene depends on the frames before, so that states must be worked out in order."""
    sources = (layer.source for falloff in scene.falloffs for layer in falloff.layers if layer.enabled)
    effects = (slot.effect for shape in scene.shapes for slot in shape.effects if slot.enabled)
    return any(isinstance(source, RememberingSource) for source in sources) or any(
        isinstance(effect, RememberingEffect) for effect in effects
    )


def chunks(frames: list[int], size: int) -> list[tuple[int, int]]:
    """Frames in runs of at most so many that follow each other, each as its first and last."""
    made: list[tuple[int, int]] = []
    for frame in frames:
        if made and frame == made[-1][1] + 1 and frame - made[-1][0] < size:
            made[-1] = made[-1][0], frame
        else:
            made.append((frame, frame))
    return made


def chunk_size(count: int, workers: int) -> int:
    """How many frames a chunk has: several chunks a worker, so that none waits long, and one that dies costs little."""
    return max(1, min(24, -(-count // (workers * 4))))
