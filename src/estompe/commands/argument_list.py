"""The arguments of each command; completions and the manual page are written from them."""

import argparse
from importlib import import_module
from types import ModuleType

from estompe.commands import MODULES


def command_module(name: str) -> ModuleType:
    """The module of a command."""
    return import_module(f"estompe.commands.{MODULES[name]}")


def arguments_of(name: str) -> list[argparse.Action]:
    """All arguments of a command, in the order of its help; `--help` is none of them."""
    parser = argparse.ArgumentParser(f"estompe {name}", add_help=False)
    command_module(name).arguments(parser)
    return list(parser._actions)


def help_of(action: argparse.Action) -> str:
    """The help of an argument, in plain words."""
    return (action.help or "").replace("%%", "%")
