"""The talk with the process that reads a file: one question, one answer, and arrays through memory that both see."""

import contextlib
import json
import os
import select
import socket
import subprocess
import sys
from collections.abc import Callable
from typing import Any, NamedTuple, Protocol

from numpy.typing import NDArray

from estompe.files.places import place_of
from estompe.files.progress import ExchangeError
from estompe.importing.blocks import Borrower

Arrays = dict[str, NDArray[Any]]
Go = Callable[[], None]
_SLICE = 0.05


class Timed(Protocol):
    """A scene, as far as reading files is concerned."""

    @property
    def metres_per_unit(self) -> float:
        """How long a scene unit is, metres."""

    @property
    def frames_per_second(self) -> float:
        """The rate of the scene."""


class Reading(NamedTuple):
    """How a file is read: its path on this machine, and the scene's metres per unit and frames per second.

    written: the file's name in the scene where that is not the path.
    """

    file: str
    metres_per_unit: float
    frames_per_second: float
    written: str = ""

    @property
    def name(self) -> str:
        """The file's name as a scene has it."""
        return self.written or self.file

    @classmethod
    def of(cls, name: str, scene: Timed) -> "Reading":
        """How a scene reads a file that it names."""
        place = place_of(name)
        return cls(place, scene.metres_per_unit, scene.frames_per_second, "" if place == name else name)


class Link:
    """A process that reads one file, started now."""

    def __init__(self, reading: Reading) -> None:
        self._socket, there = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        command: list[str | bytes] = [
            sys.executable, "-m", "estompe.importing.serving", os.fsencode(reading.file), str(there.fileno()),
            str(reading.metres_per_unit), str(reading.frames_per_second),
        ]  # fmt: skip
        self._child = subprocess.Popen(
            command,
            pass_fds=(there.fileno(),),
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        there.close()
        self._blocks = Borrower(self._socket)
        # Questions are answered in their order. Late answers to questions that were cancelled come first and are dropped.
        self._asked = 0
        self._answered = -1

    def ask(self, message: dict[str, Any], go_on: Go) -> tuple[dict[str, Any], Arrays]:
        """The answer to a question: its head, and arrays. Raises ExchangeError, OSError, and what `go_on` raises."""
        self._socket.send(json.dumps({**message, "unused": self._blocks.unused()}).encode())
        self._asked += 1
        return self.receive(go_on)

    def receive(self, go_on: Go) -> tuple[dict[str, Any], Arrays]:
        """The answer to the last question, or the first words where nothing was asked yet. Raises as `ask` does.

        Cancelling does not wait: an answer that comes later is dropped before the next one is read.
        """
        while True:
            while not select.select([self._socket], [], [], _SLICE)[0]:
                go_on()
            self._answered += 1
            if self._answered == self._asked:
                break
            self._blocks.forget()
        head, arrays = self._blocks.received()
        if "error" in head:
            raise ExchangeError(head["error"])
        return head, arrays

    def has_ended(self) -> bool:
        """Whether the process has ended; one that is just going away is waited for a moment."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._child.wait(0.2)
        return not self.alive

    @property
    def alive(self) -> bool:
        """Whether the process still answers."""
        return self._child.poll() is None

    def close(self) -> None:
        """End the process."""
        with contextlib.suppress(OSError):
            self._socket.close()
        self._child.kill()
        self._child.wait()
