"""`estompe completion`: print a completion file for a shell, made from the commands themselves."""

import argparse

from estompe.commands import NAMES
from estompe.commands.argument_list import arguments_of, help_of

HELP = "print a completion file for a shell"
SHELLS = ("bash", "zsh", "fish")


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    words = "such as: estompe completion bash > ~/.local/share/bash-completion/completions/estompe"
    parser.add_argument("shell", choices=SHELLS, help=words)


def run(chosen: argparse.Namespace) -> None:
    """Run the command."""
    print(completion(chosen.shell))


def completion(shell: str) -> str:
    """The completion file for one of SHELLS."""
    return {"bash": _bash, "zsh": _zsh, "fish": _fish}[shell](options())


def options() -> dict[str, list[tuple[str, str]]]:
    """The options of each command, each with its help."""
    return {
        name: [
            (option, help_of(action).replace("'", ""))
            for action in arguments_of(name)
            for option in action.option_strings
            if option.startswith("--")
        ]
        for name in NAMES
    }


def _bash(commands: dict[str, list[tuple[str, str]]]) -> str:
    cases = "\n".join(
        f"    {name}) words='{' '.join(option for option, _ in listed)}' ;;" for name, listed in commands.items()
    )
    return f"""_estompe() {{
  local word="${{COMP_WORDS[COMP_CWORD]}}" words=''
  if [ "$COMP_CWORD" -eq 1 ]; then words='{" ".join(commands)}'; fi
  case "${{COMP_WORDS[1]}}" in
{cases}
  esac
  if [[ "$word" == -* || "$COMP_CWORD" -eq 1 ]]; then COMPREPLY=($(compgen -W "$words" -- "$word")); fi
  if [ "${{#COMPREPLY[@]}}" -eq 0 ]; then COMPREPLY=($(compgen -f -- "$word")); fi
}}
complete -o filenames -F _estompe estompe"""


def _zsh(commands: dict[str, list[tuple[str, str]]]) -> str:
    cases = "\n".join(
        f"    {name}) _arguments {' '.join(_zsh_option(*item) for item in listed)} '*:file:_files' ;;"
        for name, listed in commands.items()
    )
    return f"""#compdef estompe
_estompe() {{
  if (( CURRENT == 2 )); then compadd {" ".join(commands)}; _files; return; fi
  local command=$words[2]
  case $command in
{cases}
  esac
}}
_estompe "$@\""""


def _zsh_option(option: str, words: str) -> str:
    escaped = words.replace("[", "(").replace("]", ")").replace(":", " ")
    return f"'{option}[{escaped}]'"


def _fish(commands: dict[str, list[tuple[str, str]]]) -> str:
    lines = [f"complete -c estompe -n __fish_use_subcommand -a '{' '.join(commands)}'"]
    for name, listed in commands.items():
        for option, words in listed:
            seen = f"'__fish_seen_subcommand_from {name}'"
            lines.append(f"complete -c estompe -n {seen} -l {option.removeprefix('--')} -d '{words}'")
    return "\n".join(lines)
