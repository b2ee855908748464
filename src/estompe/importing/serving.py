"""The process that reads an animated file for the window, the command line and tests.

A library that crashes takes this process with it and nothing else; its memory is bounded. While nobody asks, it reads the next
frames of what was asked for last. Requests are small JSON messages on a socket; an answer is a number of bytes with a block of
shared memory: a JSON head of so many bytes, and arrays at multiples of 64 behind it. Nothing is copied on the way.
"""

import contextlib
import json
import mmap
import os
import resource
import select
import socket
import sys
from collections import OrderedDict
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import json as msgspec_json
from numpy.typing import NDArray

from estompe.document.names import printable
from estompe.importing.errors import ExchangeError
from estompe.importing.stage import Lens, Sampled, Space, Stage, open_stage

# Address space: what the libraries reserve, and a generous multiple of the file.
_LEAST_SPACE, _SPACE_PER_BYTE = 12 * 2**30, 8
_MOST_MESSAGE = 64 * 2**10
_AHEAD, _MOST_AHEAD_BYTES, _MOST_FOLLOWED = 3, 256 * 2**20, 64
_ALIGNED = 64
Key = tuple[str, float]


class _Server:
    """Answers requests on a socket, and reads ahead in between."""

    def __init__(self, stage: Stage, link: socket.socket, space: Space, step: float, cameras: frozenset[str]) -> None:
        self._stage, self._link, self._space, self._step = stage, link, space, step
        self._ready: OrderedDict[Key, Sampled] = OrderedDict()
        self._bytes = 0
        # The last time each prim was asked for, and the way it went.
        self._asked: OrderedDict[str, tuple[float, float]] = OrderedDict()
        self._still: set[str] = set()
        self._cameras = cameras

    def run(self) -> None:
        """Serve until the other side is gone."""
        while True:
            if not select.select([self._link], [], [], 0.0)[0] and self._read_ahead():
                continue
            message = self._link.recv(_MOST_MESSAGE)
            if not message:
                return
            try:
                head, arrays = self._answer(json.loads(message))
            except ExchangeError as error:
                head, arrays = {"error": printable(str(error))}, {}
            except MemoryError:
                head, arrays = {"error": "a frame does not fit in memory"}, {}
            except Exception as error:  # the libraries raise almost anything for damaged files
                head, arrays = {"error": printable(f"it cannot be read ({type(error).__name__}: {error})")}, {}
            _send(self._link, head, arrays)

    def _answer(self, asked: dict[str, Any]) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
        what, path = asked["what"], str(asked.get("path", ""))
        if what == "matrices":
            return self._matrices(path, [float(time) for time in asked["times"]])
        if what == "lens":
            return {"lens": _scaled(self._stage.lens(path, float(asked["time"])), self._space.scale)}, {}
        time = float(asked["time"])
        sampled = self._sampled(path, time)
        arrays = dict(sampled.moving)
        if not asked.get("known"):
            arrays.update(sampled.still)
        return {"notes": sampled.notes, "moving": sorted(sampled.moving)}, arrays

    def _matrices(self, path: str, times: list[float]) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
        found, moves = [], False
        for time in times:
            matrix, moves = self._stage.matrix(path, time)
            found.append(self._space.matrix(matrix, path in self._cameras))
            if not moves:
                break
        return {"moves": moves}, {"matrices": np.stack(found)}

    def _sampled(self, path: str, time: float) -> Sampled:
        before = self._asked.pop(path, None)
        way = time - before[0] if before is not None else self._step
        self._asked[path] = time, self._step if way >= 0 else -self._step
        if len(self._asked) > _MOST_FOLLOWED:
            self._asked.popitem(last=False)
        found = self._ready.pop((path, time), None)
        if found is not None:
            self._bytes -= _size(found)
            return found
        return self._stage.sampled(path, time, self._space)

    def _read_ahead(self) -> bool:
        """Read one frame that is likely to be asked for; False where there is none left, so that waiting may begin."""
        for number in range(1, _AHEAD + 1):
            for path, (time, way) in self._asked.items():
                key = path, time + number * way
                if path in self._still or key in self._ready or self._bytes > _MOST_AHEAD_BYTES:
                    continue
                try:
                    found = self._stage.sampled(*key, self._space)
                except Exception:  # whoever asks for that frame hears of it then
                    continue
                if not found.moving:
                    self._still.add(path)
                    continue
                self._ready[key] = found
                self._bytes += _size(found)
                self._evict()
                return True
        return False

    def _evict(self) -> None:
        """Let go of what was read ahead and is not on the way any more."""
        wanted = {(path, time + n * way) for path, (time, way) in self._asked.items() for n in range(_AHEAD + 1)}
        for key in [key for key in self._ready if key not in wanted]:
            self._bytes -= _size(self._ready.pop(key))


def _size(sampled: Sampled) -> int:
    return sum(array.nbytes for array in sampled.moving.values())


def _scaled(lens: Lens, scale: float) -> dict[str, Any]:
    near_far = None if lens.clipping is None else [side * scale for side in lens.clipping]
    return {"view_angle": lens.view_angle, "aspect": lens.aspect, "offset": lens.offset, "clipping": near_far}


def _send(link: socket.socket, head: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> None:
    """Send an answer: its arrays in shared memory of their own, which goes when nobody looks at it any more."""
    place = 0
    told = []
    for name, array in arrays.items():
        told.append({"name": name, "type": array.dtype.str, "shape": array.shape, "at": place})
        place += -(-array.nbytes // _ALIGNED) * _ALIGNED
    text = json.dumps({**head, "arrays": told}).encode()
    begin = -(-len(text) // _ALIGNED) * _ALIGNED
    block = os.memfd_create("estompe-frame")
    try:
        os.ftruncate(block, max(1, begin + place))
        with mmap.mmap(block, max(1, begin + place)) as memory:
            memory[: len(text)] = text
            for item, array in zip(told, arrays.values(), strict=True):
                if array.nbytes:
                    target = np.frombuffer(memory, array.dtype, array.size, begin + int(item["at"]))  # type: ignore[call-overload]
                    target[:] = array.reshape(-1)
                    del target
        socket.send_fds(link, [f"{len(text)}".encode()], [block])
    finally:
        os.close(block)


def _bound_memory(path: Path) -> None:
    with contextlib.suppress(OSError, ValueError):
        most = _LEAST_SPACE + _SPACE_PER_BYTE * (path.stat().st_size if path.exists() else 0)
        resource.setrlimit(resource.RLIMIT_AS, (most, most))


def main(name: str, descriptor: int, metres_per_unit: float, frames_per_second: float) -> None:
    """What the process does: open the file, tell what it holds, and answer."""
    path = Path(name)
    _bound_memory(path)
    link = socket.socket(fileno=descriptor)
    try:
        stage = open_stage(path)
        about = stage.about()
    except ExchangeError as error:
        _send(link, {"error": printable(str(error))}, {})
        return
    except MemoryError:
        _send(link, {"error": "it does not fit in memory"}, {})
        return
    except Exception as error:  # the libraries raise almost anything for damaged files
        _send(link, {"error": printable(f"it cannot be read ({type(error).__name__}: {error})")}, {})
        return
    scale = (about.metres_per_unit or metres_per_unit) / metres_per_unit
    _send(link, {"about": json.loads(msgspec_json.encode(about)), "scale": scale}, {})
    cameras = frozenset(entry.path for entry in about.entries if entry.kind == "camera")
    server = _Server(
        stage, link, Space(scale, about.up == "Y"), (about.rate or frames_per_second) / frames_per_second, cameras
    )
    with contextlib.suppress(ConnectionError, BrokenPipeError):
        server.run()


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), float(sys.argv[3]), float(sys.argv[4]))
