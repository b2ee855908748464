"""`estompe manual`: print the manual page, made from the commands' own help."""

import argparse
from collections.abc import Iterator

from estompe import __version__
from estompe.commands import NAMES
from estompe.commands.argument_list import arguments_of, command_module, help_of
from estompe.commands.errors import CANCELLED, DONE, FAILED, PROBLEMS, USAGE

HELP = "print the manual page"
_ENDS = {
    DONE: "Done.",
    FAILED: "Failed: a file cannot be read or written, or a computation stopped.",
    USAGE: "Called in a wrong way.",
    CANCELLED: "Cancelled by a signal; nothing is left half written.",
    PROBLEMS: "Problems in the scene keep frames from being written; they are listed.",
}
_ABOUT = (
    "Builds deformers, fractures, growth and copies whose strength follows falloffs from controls.",
    "Without a command it opens a window. With a command it needs no display.",
)


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments: none."""
    parser.description = "such as: estompe manual > ~/.local/share/man/man1/estompe.1"


def run(_chosen: argparse.Namespace) -> None:
    """Run the command."""
    print("\n".join(page()))


def page() -> Iterator[str]:
    """The lines of the page, in the macros of man(7)."""
    yield f'.TH ESTOMPE 1 "" "Estompe {__version__}" "User commands"'
    yield from (".SH NAME", r"estompe \- falloff\-driven procedural effects")
    yield from (".SH SYNOPSIS", ".B estompe", r"[\fIFILE\fR] [\fB\-\-sample\fR \fINAME\fR]", ".br")
    yield from (".B estompe", r"\fICOMMAND\fR [\fIoptions\fR]")
    yield from (".SH DESCRIPTION", *map(_escaped, _ABOUT))
    yield ".SH COMMANDS"
    for name in NAMES:
        yield from _command(name)
    yield ".SH EXIT STATUS"
    for code, words in _ENDS.items():
        yield from (".TP", f".B {code}", _escaped(words))


def _command(name: str) -> Iterator[str]:
    words = command_module(name).HELP
    yield from (f".SS {_escaped(name)}", _escaped(f"{words[:1].upper()}{words[1:]}."))
    for action in arguments_of(name):
        yield from (".TP", _heading(action), _escaped(help_of(action)))


def _heading(action: argparse.Action) -> str:
    value = action.metavar or (
        "{" + ",".join(map(str, action.choices)) + "}" if action.choices else action.dest.upper()
    )
    value = _escaped(" ".join(value) if isinstance(value, tuple) else value)
    if not action.option_strings:
        return rf"\fI{value}\fR"
    options = ", ".join(rf"\fB{_escaped(option)}\fR" for option in action.option_strings)
    return options if action.nargs == 0 else rf"{options} \fI{value}\fR"


def _escaped(text: str) -> str:
    """A line of text that begins no macro."""
    escaped = " ".join(text.split()).replace("\\", r"\e").replace("-", r"\-")
    return rf"\&{escaped}" if escaped[:1] in (".", "'", "") else escaped
