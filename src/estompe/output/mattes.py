"""Mattes of shapes, and of their copies and pieces: ids with coverage, as the Cryptomatte specification 1.2 lays them down.

A layer has ranks: each an id, which is a hash of a name, and how much of the pixel is covered by what has that name. Compositing
picks by the names in the manifest.
"""

import json
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.kernels.mattes import count, rank

RANKS = 6
_SLOTS = RANKS + 2
LAYERS = {"matte-shapes": "MatteShape", "matte-elements": "MatteElement"}
"""What is asked for, and the name of its channels without their numbers."""
_CHANNELS = "RGBA"
_WORD = 0xFFFFFFFF


class Matte(NamedTuple):
    """A layer: ids and coverage, float32 (h, w, RANKS) each, the largest coverage first; names: of ids that are seen."""

    ids: NDArray[np.float32]
    coverage: NDArray[np.float32]
    names: dict[str, int]


class Counted:
    """Counts whose each pixel is over several draws."""

    def __init__(self, size: tuple[int, int]) -> None:
        self._size, self._draws = size, 0
        pixels = size[0] * size[1]
        self._found = np.zeros((pixels, _SLOTS), np.uint64)
        self._counts = np.zeros((pixels, _SLOTS), np.uint16)

    def add(self, shape: NDArray[np.uint32], element: NDArray[np.uint32]) -> None:
        """Count a draw. shape, element: uint32 (h, w), numbers from 1 on; 0 where there is no shape, or it is whole."""
        keys = shape.astype(np.uint64) << np.uint64(32) | element.astype(np.uint64)
        count(np.ascontiguousarray(keys.ravel()), self._found, self._counts)
        self._draws += 1

    def matte(self, shapes: dict[int, str]) -> Matte:
        """The layer. shapes: names by number."""
        rank(self._found, self._counts)
        keys, counts = self._found[:, :RANKS], self._counts[:, :RANKS]
        there = counts > 0
        every, places = np.unique(keys[there], return_inverse=True)
        names = [_name(int(key), shapes) for key in every]
        hashes = np.array([id_of(name) for name in names], np.uint32)
        form = (self._size[1], self._size[0], RANKS)
        ids = np.zeros(counts.shape, np.float32)
        ids[there] = hashes.view(np.float32)[places]
        coverage = counts.astype(np.float32) / np.float32(max(1, self._draws))
        return Matte(ids.reshape(form), coverage.reshape(form), dict(zip(names, hashes.tolist(), strict=True)))


def _name(key: int, shapes: dict[int, str]) -> str:
    shape, element = shapes[key >> 32], key & _WORD
    return f"{shape}.{element - 1}" if element else shape


@lru_cache(1 << 17)
def id_of(name: str) -> int:
    """The id of a name as 32 bits whose float is neither infinite nor no number (Cryptomatte specification, hashing)."""
    found = murmur3(name.encode("utf-8"))
    exponent = found >> 23 & 255
    return found ^ 1 << 23 if exponent in (0, 255) else found


def murmur3(data: bytes, seed: int = 0) -> int:
    """The 32 bit hash of MurmurHash3 (Appleby, 2011, public domain)."""
    total = seed
    whole = len(data) // 4 * 4
    for begin in range(0, whole, 4):
        total ^= _mixed(int.from_bytes(data[begin : begin + 4], "little"))
        total = (_turned(total, 13) * 5 + 0xE6546B64) & _WORD
    if whole < len(data):
        total ^= _mixed(int.from_bytes(data[whole:], "little"))
    total ^= len(data)
    total = (total ^ total >> 16) * 0x85EBCA6B & _WORD
    total = (total ^ total >> 13) * 0xC2B2AE35 & _WORD
    return total ^ total >> 16


def _mixed(block: int) -> int:
    return _turned(block * 0xCC9E2D51 & _WORD, 15) * 0x1B873593 & _WORD


def _turned(value: int, by: int) -> int:
    return (value << by | value >> 32 - by) & _WORD


def channels(matte: Matte, title: str) -> dict[str, NDArray[np.float32]]:
    """The channels of a layer in a file, two ranks in each four: id, coverage, id, coverage."""
    planes = {}
    for place in range(RANKS):
        first = place % 2 * 2
        planes[f"{title}{place // 2:02d}.{_CHANNELS[first]}"] = np.ascontiguousarray(matte.ids[..., place])
        planes[f"{title}{place // 2:02d}.{_CHANNELS[first + 1]}"] = np.ascontiguousarray(matte.coverage[..., place])
    return planes


def header(matte: Matte, title: str) -> dict[str, Any]:
    """What the file's header says of a layer."""
    begin = f"cryptomatte/{murmur3(title.encode()):08x}"[: len("cryptomatte/") + 7]
    return {
        f"{begin}/name": title,
        f"{begin}/hash": "MurmurHash3_32",
        f"{begin}/conversion": "uint32_to_float32",
        f"{begin}/manifest": json.dumps({name: f"{value:08x}" for name, value in sorted(matte.names.items())}),
    }
