"""Say which generated files are out of date, and the command that renews them; nothing is written."""

import sys

from scripts import api, reference, schema, scripting

_GENERATED = (
    (schema.TARGET, schema.text, "make schema"),
    (scripting.TARGET, scripting.text, "make schema"),
    (reference.PAGE, reference.text, "make reference"),
    (api.PAGE, api.text, "make reference"),
)


def main() -> int:
    """Return 0, or 1 after a line for each file that is stale."""
    stale = [(path, command) for path, text, command in _GENERATED if path.read_text(encoding="utf-8") != text()]
    for path, command in stale:
        sys.stderr.write(f"{path} is out of date: run `{command}` and commit the result\n")
    return 1 if stale else 0


if __name__ == "__main__":
    sys.exit(main())
