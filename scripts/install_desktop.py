"""Put the application into one user's desktop: launcher, icon, file type, manual page, completion. `--remove` takes them away."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

from estompe.commands import completion, manual

ROOT = Path(__file__).resolve().parents[1]
_LAUNCHER = """[Desktop Entry]
Type=Application
Name=Estompe
Comment=Falloff-driven procedural effects
Exec="{command}" %f
Icon=estompe
Terminal=false
Categories=Graphics;3DGraphics;
MimeType=application/x-estompe;model/obj;model/gltf+json;model/gltf-binary;model/stl;model/vnd.usd;model/vnd.usdz+zip;application/ply;
StartupWMClass=estompe
"""
_TYPE = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="application/x-estompe">
    <comment>Estompe scene</comment>
    <glob pattern="*.estompe"/>
  </mime-type>
</mime-info>
"""
_COMPLETIONS = {
    "bash": "bash-completion/completions/estompe",
    "zsh": "zsh/site-functions/_estompe",
    "fish": "fish/vendor_completions.d/estompe.fish",
}
"""Where each shell looks below the folder of data; zsh only if it is told to."""


def data_folder() -> Path:
    """Where one user's desktop looks, by the XDG base directory specification."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def files() -> dict[Path, str | Path]:
    """What is put where: a text, or a file to copy."""
    data = data_folder()
    command = ROOT / ".venv" / "bin" / "estompe"
    return {
        data / "man" / "man1" / "estompe.1": "\n".join(manual.page()) + "\n",
        **{data / place: completion.completion(shell) + "\n" for shell, place in _COMPLETIONS.items()},
        data / "applications" / "estompe.desktop": _LAUNCHER.format(command=command),
        data / "mime" / "packages" / "estompe.xml": _TYPE,
        data / "icons" / "hicolor" / "scalable" / "apps" / "estompe.svg": ROOT
        / "src"
        / "estompe"
        / "app"
        / "estompe.svg",
    }


def main(words: list[str]) -> int:
    """Install, or remove."""
    for target, what in files().items():
        if "--remove" in words:
            target.unlink(missing_ok=True)
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        if isinstance(what, Path):
            shutil.copyfile(what, target)
        else:
            target.write_text(what, encoding="utf-8")
    for tool, folder in (("update-desktop-database", "applications"), ("update-mime-database", "mime")):
        if shutil.which(tool) and (data_folder() / folder).is_dir():
            subprocess.run([tool, str(data_folder() / folder)], check=False, capture_output=True)
    print("removed" if "--remove" in words else f"installed into {data_folder()}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
