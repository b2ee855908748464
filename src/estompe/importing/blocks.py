"""Files in memory through which frames go from the process that reads them to the one that uses them.

An answer is a JSON head with arrays behind it, at multiples of 64 bytes. A large one is mapped and used where it stands; its
file is written anew once none of its arrays is in use. By then its pages are there on both sides, and getting pages is most of
what a frame costs. A small one is copied.
"""

import json
import mmap
import os
import socket
import weakref
from collections import deque
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError

GONE = "the file is so damaged, or so large, that reading it failed altogether"
_ALIGNED = 64
_MOST_FREE, _MOST_FREE_BYTES, _SMALL = 6, 256 * 2**20, 2**16
# Each file that is mapped takes a descriptor, of which a process has about a thousand.
_LEAST_MAPPED, _MOST_MAPPED = 4 * 2**20, 200
_MOST_WORDS = 2**16


class Block(NamedTuple):
    """An answer that is ready to be handed over: a file in memory with its number, the bytes of its head, and of all."""

    descriptor: int
    number: int
    head: int
    size: int


class Lender:
    """The side that reads: it writes answers and hands them over."""

    def __init__(self) -> None:
        self._free: list[Block] = []
        self._lent: dict[int, Block] = {}
        self._closed: list[int] = []

    def built(self, head: dict[str, Any], arrays: dict[str, NDArray[Any]]) -> Block:
        """An answer: a head, and arrays behind it."""
        place = 0
        told: list[dict[str, Any]] = []
        for name, array in arrays.items():
            told.append({"name": name, "type": array.dtype.str, "shape": array.shape, "at": place})
            place += -(-array.nbytes // _ALIGNED) * _ALIGNED
        text = json.dumps({**head, "arrays": told}).encode()
        begin = -(-len(text) // _ALIGNED) * _ALIGNED
        block = self._one_of(begin + place)
        try:
            os.pwrite(block.descriptor, text, 0)
            for item, array in zip(told, arrays.values(), strict=True):
                _write(block.descriptor, np.ascontiguousarray(array), begin + int(item["at"]))
        except BaseException:
            self.take_back(block)
            raise
        return block._replace(head=len(text))

    def hand_over(self, link: socket.socket, block: Block) -> None:
        """Hand an answer over, with word of the files that are not used again."""
        words = " ".join(map(str, (block.head, *self._closed)))
        self._closed.clear()
        self._lent[block.number] = block
        socket.send_fds(link, [words.encode()], [block.descriptor])

    def take_back(self, block: Block) -> None:
        """Take a free block; the ones that have been free for longest make room for it."""
        self._free.append(block)
        while len(self._free) > _MOST_FREE or sum(kept.size for kept in self._free) > _MOST_FREE_BYTES:
            gone = self._free.pop(0)
            os.close(gone.descriptor)
            self._closed.append(gone.number)

    def returned(self, numbers: list[int]) -> None:
        """Take back blocks that are no longer in use."""
        for number in numbers:
            block = self._lent.pop(number, None)
            if block is not None:
                self.take_back(block)

    def _one_of(self, size: int) -> Block:
        """A file of at least a size: one that is free and not much too large, or a new one."""
        fitting = [block for block in self._free if size <= block.size <= 2 * size + _SMALL]
        if fitting:
            block = min(fitting, key=lambda block: block.size)
            self._free.remove(block)
            return block
        made = os.memfd_create("estompe-frame")
        try:
            os.ftruncate(made, size)
            return Block(made, os.fstat(made).st_ino, 0, size)
        except BaseException:
            os.close(made)
            raise


class Borrower:
    """The side that asks: it receives answers and tells which of them are not in use any more."""

    def __init__(self, link: socket.socket) -> None:
        self._link = link
        self._mapped: dict[int, mmap.mmap] = {}
        self._unused: deque[int] = deque()

    def unused(self) -> list[int]:
        """The files whose arrays have been released since this was asked last."""
        return [self._unused.popleft() for _ in range(len(self._unused))]

    def received(self) -> tuple[dict[str, Any], dict[str, NDArray[Any]]]:
        """The answer that has come: its head, and its arrays, not to be written to. Raises ExchangeError where there is none."""
        message, descriptors, _, _ = socket.recv_fds(self._link, _MOST_WORDS, 1)
        if not message or not descriptors:
            raise ExchangeError(GONE)
        size, *closed = map(int, message.split())
        for number in closed:
            self._mapped.pop(number, None)
        try:
            whole = self._whole(descriptors[0])
        finally:
            os.close(descriptors[0])
        head = json.loads(bytes(whole[:size]))
        begin = -(-size // _ALIGNED) * _ALIGNED
        arrays = {item["name"]: _array(whole, item, begin) for item in head.get("arrays", ())}
        return head, arrays

    def forget(self) -> None:
        """Take an answer that is no longer waited for. Raises ExchangeError where there is none."""
        message, descriptors, _, _ = socket.recv_fds(self._link, _MOST_WORDS, 1)
        if not message or not descriptors:
            raise ExchangeError(GONE)
        for number in map(int, message.split()[1:]):
            self._mapped.pop(number, None)
        for descriptor in descriptors:
            self._unused.append(os.fstat(descriptor).st_ino)
            os.close(descriptor)

    def _whole(self, descriptor: int) -> NDArray[np.uint8]:
        """All bytes of a file: where they stand, or copied."""
        about = os.fstat(descriptor)
        number, size = about.st_ino, about.st_size
        if number in self._mapped or (size >= _LEAST_MAPPED and len(self._mapped) < _MOST_MAPPED):
            memory = self._mapped.get(number)
            if memory is None:
                memory = self._mapped[number] = mmap.mmap(descriptor, 0, prot=mmap.PROT_READ)
            whole = np.frombuffer(memory, np.uint8)
            weakref.finalize(whole, self._unused.append, number).atexit = False
            return whole
        copied = np.empty(size, np.uint8)
        rest = copied
        while len(rest):
            read = os.preadv(descriptor, [rest.data], size - len(rest))
            if not read:
                raise ExchangeError(GONE)
            rest = rest[read:]
        self._unused.append(number)
        return copied


def _array(whole: NDArray[np.uint8], item: dict[str, Any], begin: int) -> NDArray[Any]:
    shape, dtype = tuple(item["shape"]), np.dtype(item["type"])
    begin += int(item["at"])
    made: NDArray[Any] = (
        whole[begin : begin + int(np.prod(shape, dtype=np.int64)) * dtype.itemsize].view(dtype).reshape(shape)
    )
    made.setflags(write=False)
    return made


def _write(descriptor: int, array: NDArray[Any], at: int) -> None:
    """Write an array into a file in memory: by calls, since each page of a mapping is missed first."""
    data = array.reshape(-1).view(np.uint8).data
    done = 0
    while done < len(data):
        done += os.pwrite(descriptor, data[done:], at + done)
