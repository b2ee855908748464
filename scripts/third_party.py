"""Write THIRD_PARTY.md, the licences of all packages that the program is installed with: `make licences`.

python -m scripts.third_party
"""

import re
from importlib.metadata import Distribution, PackageNotFoundError, distribution
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TARGET, LOCK = ROOT / "THIRD_PARTY.md", ROOT / "requirements.lock"
_FIRST = re.compile(r"^([A-Za-z0-9_.-]+)==([^\s;]+)", re.MULTILINE)


def licence_of(found: Distribution) -> str:
    """The licence that a package states: its expression, else its classifiers, else the first line of its text."""
    about = found.metadata
    expression = about.get("License-Expression")
    if expression:
        return str(expression)
    classifiers = [
        line.rsplit("::", 1)[-1].strip() for line in about.get_all("Classifier") or [] if line.startswith("License")
    ]
    if classifiers:
        return ", ".join(sorted(set(classifiers)))
    lines = str(about.get("License") or "").strip().splitlines()
    return lines[0][:80] if lines else "see its own files"


def text() -> str:
    """The page."""
    lines = [
        "# Packages of others", "",
        "What `make setup` installs besides the program, with the licence that each package states. Made by `make licences`.", "",
        "| package | version | licence |", "|---|---|---|",
    ]  # fmt: skip
    for name, version in sorted(
        set(_FIRST.findall(LOCK.read_text(encoding="utf-8"))), key=lambda item: item[0].lower()
    ):
        try:
            found = distribution(name)
        except PackageNotFoundError:
            continue  # for another system or version of Python
        if found.version == version:
            lines.append(f"| {name} | {version} | {licence_of(found)} |")
    fonts = "Inter, under the SIL Open Font License 1.1 (`src/estompe/app/fonts/LICENSE.txt`)."
    return "\n".join([*lines, "", f"The fonts that ship with the program are {fonts}", ""])


def main() -> None:
    """Write it."""
    TARGET.write_text(text(), encoding="utf-8")


if __name__ == "__main__":
    main()
