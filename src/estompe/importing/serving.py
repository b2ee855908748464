"""The process that reads an animated file for the window, the command line and tests.

A library that crashes takes this process with it and nothing else; its memory is bounded. While nobody asks, it reads the next
frames of what was asked for last. Requests are small JSON messages on a socket; answers go through `estompe.importing.blocks`.
"""

import contextlib
import json
import resource
import select
import socket
import sys
from collections import OrderedDict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import json as msgspec_json
from numpy.typing import NDArray

from estompe.document.names import printable
from estompe.files.progress import ExchangeError
from estompe.importing.blocks import Block, Lender
from estompe.importing.stage import Lens, Sampled, Space, Stage, open_stage

# Address space: what the libraries reserve, and a generous multiple of the file.
_LEAST_SPACE, _SPACE_PER_BYTE = 12 * 2**30, 8
_MOST_MESSAGE = 64 * 2**10
_AHEAD, _MOST_AHEAD_BYTES, _MOST_FOLLOWED = 3, 256 * 2**20, 64
Key = tuple[str, float]


class _Server:
    """Answers requests on a socket, and reads ahead in between."""

    def __init__(
        self,
        stage: Stage,
        link: socket.socket,
        space: Space,
        step: float,
        cameras: frozenset[str],
        blocks: Lender,
    ) -> None:
        self._stage, self._link, self._space, self._step, self._blocks = stage, link, space, step, blocks
        self._ready: dict[Key, Block] = {}
        # The last time each prim was asked for, and the way it went.
        self._asked: OrderedDict[str, tuple[float, float]] = OrderedDict()
        self._still: set[str] = set()
        self._cameras = cameras
        self._looking = ThreadPoolExecutor(1, "estompe-looking")

    def run(self) -> None:
        """Serve until the other side is gone."""
        while True:
            if not select.select([self._link], [], [], 0.0)[0] and self._read_ahead():
                continue
            message = self._link.recv(_MOST_MESSAGE)
            if not message:
                return
            asked = json.loads(message)
            self._blocks.returned(asked.get("unused", []))
            self._blocks.hand_over(self._link, self._ahead_of(asked) or self._answered(asked))

    def _answered(self, asked: dict[str, Any]) -> Block:
        """The answer to a request, made now; errors are told in words."""
        try:
            return self._answer(asked)
        except ExchangeError as error:
            words = str(error)
        except MemoryError:
            words = "a frame does not fit in memory"
        except Exception as error:  # the libraries raise almost anything for damaged files
            words = f"it cannot be read ({type(error).__name__}: {error})"
        return self._blocks.built({"error": printable(words)}, {})

    def _ahead_of(self, asked: dict[str, Any]) -> Block | None:
        """The answer to a request, if it was read ahead."""
        if asked["what"] != "sampled" or not asked.get("known"):
            return None
        path, time = str(asked["path"]), float(asked["time"])
        found = self._ready.pop((path, time), None)
        if found is not None:
            self._note(path, time)
        return found

    def _answer(self, asked: dict[str, Any]) -> Block:
        what, path = asked["what"], str(asked.get("path", ""))
        if what == "matrices":
            return self._blocks.built(*self._matrices(path, [float(time) for time in asked["times"]]))
        if what == "lens":
            lens = _scaled(self._stage.lens(path, float(asked["time"])), self._space.scale)
            return self._blocks.built({"lens": lens}, {})
        time = float(asked["time"])
        self._note(path, time)
        return self._written(self._stage.sampled(path, time, self._space), bool(asked.get("known")))

    def _written(self, sampled: Sampled, known: bool) -> Block:
        """What is said of a prim at a time. known: what is the same at all times was handed over before. Raises ExchangeError."""
        # To look at every position takes as long as to write it, so both happen at once.
        sound = self._looking.submit(_sound, sampled.moving.get("points", sampled.still.get("points")))
        arrays = dict(sampled.moving) if known else {**sampled.moving, **sampled.still}
        block = self._blocks.built({"notes": sampled.notes, "moving": sorted(sampled.moving)}, arrays)
        if not sound.result():
            self._blocks.take_back(block)
            raise ExchangeError("a position is not a number")
        return block

    def _matrices(self, path: str, times: list[float]) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
        found, moves = [], False
        for time in times:
            matrix, moves = self._stage.matrix(path, time)
            found.append(self._space.matrix(matrix, path in self._cameras))
            if not moves:
                break
        return {"moves": moves}, {"matrices": np.stack(found)}

    def _note(self, path: str, time: float) -> None:
        """Take down what was asked for, and which way that goes."""
        before = self._asked.pop(path, None)
        way = time - before[0] if before is not None else self._step
        self._asked[path] = time, self._step if way >= 0 else -self._step
        if len(self._asked) > _MOST_FOLLOWED:
            self._asked.popitem(last=False)

    def _read_ahead(self) -> bool:
        """Read one frame that is likely to be asked for; False where there is none left, so that waiting may begin."""
        for number in range(1, _AHEAD + 1):
            for path, (time, way) in self._asked.items():
                key = path, time + number * way
                if path in self._still or key in self._ready or self._is_full():
                    continue
                try:
                    found = self._stage.sampled(*key, self._space)
                    if not found.moving:
                        self._still.add(path)
                        continue
                    self._ready[key] = self._written(found, known=True)
                except Exception:  # the error is raised when that frame is asked for
                    continue
                self._evict()
                return True
        return False

    def _is_full(self) -> bool:
        return sum(block.size for block in self._ready.values()) > _MOST_AHEAD_BYTES

    def _evict(self) -> None:
        """Let go of what was read ahead and is not on the way any more."""
        wanted = {(path, time + n * way) for path, (time, way) in self._asked.items() for n in range(_AHEAD + 1)}
        for key in [key for key in self._ready if key not in wanted]:
            self._blocks.take_back(self._ready.pop(key))


def _sound(points: NDArray[Any] | None) -> bool:
    """Whether all positions are numbers. The sum is enough where it is one; it may also be too large for one."""
    return points is None or bool(np.isfinite(points.sum())) or bool(np.isfinite(points).all())


def _scaled(lens: Lens, scale: float) -> dict[str, Any]:
    near_far = None if lens.clipping is None else [side * scale for side in lens.clipping]
    return {
        "view_angle": lens.view_angle, "aspect": lens.aspect, "offset": lens.offset, "clipping": near_far,
        "parallel": lens.parallel * scale,
    }  # fmt: skip


def _bound_memory(path: Path) -> None:
    with contextlib.suppress(OSError, ValueError):
        most = _LEAST_SPACE + _SPACE_PER_BYTE * (path.stat().st_size if path.exists() else 0)
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


def main(name: str, descriptor: int, metres_per_unit: float, frames_per_second: float) -> None:
    """What the process does: open the file, tell what it holds, and answer."""
    path = Path(name)
    _bound_memory(path)
    link, blocks = socket.socket(fileno=descriptor), Lender()

    def tell(head: dict[str, Any]) -> None:
        blocks.hand_over(link, blocks.built(head, {}))

    try:
        stage = open_stage(path)
        about = stage.about()
    except ExchangeError as error:
        tell({"error": printable(str(error))})
        return
    except MemoryError:
        tell({"error": "it does not fit in memory"})
        return
    except Exception as error:  # the libraries raise almost anything for damaged files
        tell({"error": printable(f"it cannot be read ({type(error).__name__}: {error})")})
        return
    scale = (about.metres_per_unit or metres_per_unit) / metres_per_unit
    tell({"about": json.loads(msgspec_json.encode(about)), "scale": scale})
    cameras = frozenset(entry.path for entry in about.entries if entry.kind == "camera")
    server = _Server(
        stage,
        link,
        Space(scale, about.up == "Y"),
        (about.rate or frames_per_second) / frames_per_second,
        cameras,
        blocks,
    )
    with contextlib.suppress(ConnectionError, BrokenPipeError):
        server.run()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), float(sys.argv[3]), float(sys.argv[4]))
