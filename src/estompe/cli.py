"""The command line: `estompe` opens the window, or runs one of the commands in `estompe.commands`."""

import argparse
import contextlib
import difflib
import gc
import os
import re
import signal
import sys
from collections.abc import Sequence
from importlib import import_module
from pathlib import Path
from typing import NoReturn

from estompe.commands import MODULES, NAMES
from estompe.commands.errors import CANCELLED, FAILED, PROBLEMS, USAGE, ProblemsError, UsageError


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line. Returns 0, or another of the codes in `estompe.commands.errors` after a line on stderr."""
    words = _joined_ranges(list(sys.argv[1:] if arguments is None else arguments))
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    try:
        for number in (signal.SIGTERM, signal.SIGHUP):
            with contextlib.suppress(ValueError):  # only the main thread may
                signal.signal(number, _stopped)
        words = _mapped(words)
        code = _command(words) if words and words[0] in NAMES else _window(words)
        sys.stdout.flush()
        return code
    except KeyboardInterrupt:
        return _told("cancelled", CANCELLED)
    except BrokenPipeError:
        sys.stderr.close()
        return FAILED
    except Exception as error:
        return _told(_words(error), _code_of(error), _listed(error))


def _stopped(_number: int, _frame: object) -> NoReturn:
    """End in order, so that nothing is left beside the target and no child goes on."""
    raise KeyboardInterrupt


def _told(text: str, code: int, listed: Sequence[str] = ()) -> int:
    from estompe.document.names import printable

    with contextlib.suppress(OSError):
        print(f"estompe: {printable(' '.join(text.split()))}", file=sys.stderr)
        for line in listed:
            print(f"  {printable(' '.join(line.split()))}", file=sys.stderr)
    return code


def _code_of(error: Exception) -> int:
    from estompe.files.progress import SceneProblemsError

    if isinstance(error, UsageError):
        return USAGE
    return PROBLEMS if isinstance(error, ProblemsError | SceneProblemsError) else FAILED


def _listed(error: Exception) -> Sequence[str]:
    """All problems of a scene, where there are several."""
    problems: tuple[str, ...] = getattr(error, "problems", ())
    return problems if len(problems) > 1 else ()


def _words(error: Exception) -> str:
    """What a person is told of an error; an unexpected one goes to the log as well."""
    from estompe.document.file import FileError
    from estompe.files.progress import ExchangeError

    expected: tuple[type[Exception], ...] = (UsageError, ProblemsError, FileError, ExchangeError)
    if isinstance(error, expected):
        return str(error)
    if type(error).__name__ == "RenderError":  # its module is slow to import, and then there is none to tell
        return str(error)
    if isinstance(error, OSError) and error.errno is not None:
        return f"{error.filename or 'the output'} cannot be written ({error.strerror})"
    from estompe import faults

    return faults.record(error, "The command")


def _mapped(words: list[str]) -> list[str]:
    """The words without `--map FROM=TO`, which any command takes. Raises UsageError."""
    from estompe.files.places import map_roots

    pairs, left = [], []
    waiting = iter(words)
    for word in waiting:
        if word == "--map":
            pairs.append(next(waiting, ""))
        elif word.startswith("--map="):
            pairs.append(word.removeprefix("--map="))
        else:
            left.append(word)
    try:
        if pairs:
            map_roots(pairs)
    except ValueError as error:
        raise UsageError(str(error)) from None
    return left


def _joined_ranges(words: list[str]) -> list[str]:
    """`--frames -5--3` as `--frames=-5--3`: a range may begin with a minus."""
    for place, word in enumerate(words[:-1]):
        if word in ("--frames", "--frame") and re.fullmatch(r"-[\d.].*", words[place + 1]):
            return [*words[:place], f"{word}={words[place + 1]}", *words[place + 2 :]]
    return words


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise UsageError(f"{message} (see `{self.prog} --help`)")


def _window(words: Sequence[str]) -> int:
    epilog = (
        f"commands: estompe {', '.join(NAMES[:-1])} and {NAMES[-1]}; each has its own --help. "
        "--map FROM=TO, with any of them, reads files below another root; $ESTOMPE_MAP does so, too"
    )
    parser = _Parser("estompe", description="Falloff-driven procedural effects.", epilog=epilog)
    parser.add_argument("file", nargs="?", type=Path, metavar="FILE", help="a scene to open, or a mesh to import")
    parser.add_argument("--sample", metavar="NAME", help="open a sample scene")
    parser.add_argument("--version", action="store_true", help="print the version and stop")
    chosen = parser.parse_args(words)
    if chosen.version:
        from estompe import __version__

        print(__version__)
        return 0
    if chosen.sample is not None:
        from estompe.commands.shared import named_sample

        named_sample(chosen.sample)
    if chosen.file is not None and not chosen.file.exists():
        near = difflib.get_close_matches(str(chosen.file), NAMES, 1)
        raise UsageError(
            f"{chosen.file}: there is no such file{f'; did you mean `estompe {near[0]}`?' if near else ''}"
        )
    if not os.environ.get("QT_QPA_PLATFORM") and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise UsageError(
            "there is no display to open a window on; `estompe bake` and `estompe render` work without one"
        )
    # Disable garbage collection during imports; `run` re-enables it.
    gc.disable()
    from estompe.app.start import run

    return run(chosen.file, chosen.sample)


def _command(words: Sequence[str]) -> int:
    parser = _Parser("estompe")
    commands = parser.add_subparsers(dest="command", required=True)
    modules = {}
    for name in NAMES:
        # One command is run, so the others' words are not needed, but for the list of them all.
        modules[name] = module = import_module(f"estompe.commands.{MODULES[name]}")
        module.arguments(commands.add_parser(name, help=module.HELP))
    chosen = parser.parse_args(words)
    modules[chosen.command].run(chosen)
    return 0


if __name__ == "__main__":
    sys.exit(main())
