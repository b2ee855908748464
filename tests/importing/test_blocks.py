"""Frames that go through files in memory: what is in use stays as it is, what is not is written anew."""

import socket
from collections.abc import Iterator

import numpy as np
import pytest

from estompe.files.progress import ExchangeError
from estompe.importing.blocks import Borrower, Lender

_LARGE, _LITTLE = 2_000_000, 1_000


@pytest.fixture
def sockets() -> Iterator[tuple[socket.socket, socket.socket]]:
    one, other = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
    with one, other:
        yield one, other


def _passed(sockets, lender: Lender, borrower: Borrower, count: int, value: float) -> tuple[np.ndarray, int]:
    """An array of one value, handed over; and the number of the file it went through."""
    lender.returned(borrower.unused())
    block = lender.built(
        {"value": value}, {"sign": np.ones(3, np.int8), "points": np.full((count, 3), value, np.float32)}
    )
    lender.hand_over(sockets[0], block)
    head, arrays = borrower.received()
    assert head["value"] == value
    assert np.array_equal(arrays["sign"], [1, 1, 1])
    return arrays["points"], block.number


@pytest.mark.parametrize("count", [_LITTLE, _LARGE])
def test_what_is_in_use_is_not_written_over(sockets, count: int) -> None:
    lender, borrower = Lender(), Borrower(sockets[1])
    held = [_passed(sockets, lender, borrower, count, float(value))[0] for value in range(8)]
    for value, points in enumerate(held):
        assert points.shape == (count, 3)
        assert points.dtype == np.float32
        assert (points == value).all()
        assert not points.flags.writeable


def test_a_part_of_an_array_keeps_its_file_from_being_written(sockets) -> None:
    lender, borrower = Lender(), Borrower(sockets[1])
    part = _passed(sockets, lender, borrower, _LARGE, 1.0)[0][10:20, 1]
    for value in range(2, 6):
        _passed(sockets, lender, borrower, _LARGE, float(value))
    assert (part == 1.0).all()


def test_a_large_file_that_nobody_uses_is_written_anew(sockets) -> None:
    lender, borrower = Lender(), Borrower(sockets[1])
    numbers = {_passed(sockets, lender, borrower, _LARGE, float(value))[1] for value in range(6)}
    assert len(numbers) <= 2  # the last one and the one before are in use in turn


def test_an_answer_that_nobody_waits_for_comes_back(sockets) -> None:
    lender, borrower = Lender(), Borrower(sockets[1])
    block = lender.built({}, {"points": np.zeros(_LARGE, np.float32)})
    lender.hand_over(sockets[0], block)
    borrower.forget()
    assert borrower.unused() == [block.number]


def test_files_are_not_used_again_when_sizes_differ_much(sockets) -> None:
    lender, borrower = Lender(), Borrower(sockets[1])
    large = _passed(sockets, lender, borrower, _LARGE, 1.0)[1]
    little = _passed(sockets, lender, borrower, _LITTLE, 2.0)[1]
    assert large != little
    for value in range(3, 20):
        points, _ = _passed(sockets, lender, borrower, _LARGE + 200_000 * value, float(value))
        assert (points == value).all()


def test_the_other_side_is_gone(sockets) -> None:
    sockets[0].close()
    with pytest.raises(ExchangeError, match="damaged"):
        Borrower(sockets[1]).received()
