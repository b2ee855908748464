"""Telling how far a command is: a line that is written over on a terminal, now and then a line in a log, or JSON."""

import json
import sys
import time
from typing import TextIO

_EVERY = 10.0
"""Seconds between lines where there is no terminal."""


class Teller:
    """A `Progress` for commands. as_json: whether each step is an object on a line of its own, on stdout."""

    def __init__(self, as_json: bool = False, stream: TextIO | None = None) -> None:
        self._json = as_json
        self._stream = stream if stream is not None else sys.stdout if as_json else sys.stderr
        self._last_line = time.monotonic()
        self._before: tuple[float, str] | None = None

    def __call__(self, fraction: float, text: str) -> None:
        """Tell a fraction and what is being done."""
        if self._json:
            if (round(fraction, 4), text) != self._before:
                self._before = round(fraction, 4), text
                self._write(json.dumps({"progress": round(fraction, 4), "text": text}, ensure_ascii=False))
            return
        if self._stream.isatty():
            print(
                f"\r{fraction:4.0%}  {text}\033[K", end="\n" if fraction >= 1.0 else "", file=self._stream, flush=True
            )
        elif time.monotonic() - self._last_line >= _EVERY:
            self._last_line = time.monotonic()
            self._write(f"{fraction:4.0%}  {text}")

    def done(self, text: str) -> None:
        """Tell the result."""
        if self._json:
            self._write(json.dumps({"done": True, "text": text}, ensure_ascii=False))
        else:
            print(text)

    def _write(self, line: str) -> None:
        print(line, file=self._stream, flush=True)
