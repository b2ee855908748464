"""Frames as they are typed: ranges, steps and single ones, such as 1-10x2,15,20.5."""

import re

from estompe.commands.errors import UsageError

_ITEM = re.compile(r"(-?\d{1,7}(?:\.\d{1,4})?)(?:-(-?\d{1,7})(?:x(\d{1,6}))?)?")
MOST = 1_000_000


def frame_numbers(text: str | None, first: int, last: int) -> list[float]:
    """Read frames.

    Parameters
    ----------
    text : str, optional
        Items with commas between them: a frame, a range A-B, or every Nth frame of one, A-BxN. None for the whole shot.
    first, last : int
        The shot's frames.

    Returns
    -------
    list of float
        Each frame once, in ascending order.

    Raises
    ------
    UsageError
        For words that are no frames, an empty range, or more than a million frames.
    """
    if text is None:
        return [float(number) for number in range(first, last + 1)]
    numbers: set[float] = set()
    for item in text.split(","):
        match = _ITEM.fullmatch(item.strip())
        if match is None:
            raise UsageError(f"--frames {text}: write frames as A-B, A-BxSTEP or single ones, such as 1-10x2,15,20.5")
        begin = float(match[1])
        if match[2] is None:
            numbers.add(begin)
            continue
        if begin != round(begin):
            raise UsageError(f"--frames {text}: a range begins on a whole frame")
        end, step = int(match[2]), int(match[3] or 1)
        if end < begin:
            raise UsageError(f"--frames {text}: the last comes before the first")
        if step < 1:
            raise UsageError(f"--frames {text}: a step is at least 1")
        if len(numbers) + (end - begin) / step > MOST:
            raise UsageError(f"--frames {text}: more than a million frames")
        numbers.update(float(number) for number in range(int(begin), end + 1, step))
    return sorted(numbers)


def frame_range(text: str | None, first: int, last: int) -> tuple[int, int]:
    """The first and last of frames that follow each other. Raises UsageError where some between are left out."""
    plain = re.fullmatch(r"(-?\d{1,7})-(-?\d{1,7})", text or "")
    if plain is not None and int(plain[1]) <= int(plain[2]):
        return int(plain[1]), int(plain[2])
    numbers = frame_numbers(text, first, last)
    begin, end = round(numbers[0]), round(numbers[-1])
    if numbers != [float(number) for number in range(begin, end + 1)]:
        raise UsageError(f"--frames {text}: this writes frames that follow each other, such as 1-24")
    return begin, end
