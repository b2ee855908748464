"""`estompe doctor`: say what this machine has for the program: graphics, libraries, fonts, folders, versions."""

import argparse
import json
import os
import platform
import sys
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

HELP = "say what this machine has: graphics, libraries, folders, versions"
_PACKAGES = ("numpy", "scipy", "numba", "PyQt6", "moderngl", "usd-core", "OpenEXR", "av", "msgspec", "distributed")
_OPTIONAL = {"distributed": "several machines"}
_LIBRARIES = {
    "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1", "libxcb-cursor.so.0": "libxcb-cursor0",
    "libxkbcommon.so.0": "libxkbcommon0", "libdbus-1.so.3": "libdbus-1-3", "libfontconfig.so.1": "libfontconfig1",
}  # fmt: skip
"""Libraries of the system, and the package of Debian and Ubuntu that holds each."""


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("--json", action="store_true", help="as JSON")


def run(chosen: argparse.Namespace) -> None:
    """Run the command."""
    report = {
        "program": _program(),
        "graphics": _graphics(),
        "libraries": _libraries(),
        "packages": _packages(),
        "folders": _folders(),
    }
    if chosen.json:
        print(json.dumps(report, indent=1, ensure_ascii=False))
        return
    for title, rows in report.items():
        print(title)
        for name, words in rows.items():
            print(f"  {name:<20} {words}")


def _program() -> dict[str, str]:
    from estompe import __version__

    display = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY") or "none: the window cannot open here"
    return {
        "estompe": __version__,
        "python": f"{platform.python_version()} in {sys.prefix}",
        "system": platform.platform(),
        "processors": str(os.cpu_count()),
        "display": display,
    }


def _graphics() -> dict[str, str]:
    """The driver that draws, or why there is none."""
    try:
        import moderngl

        context = moderngl.create_standalone_context(backend="egl")  # type: ignore[arg-type]  # its stub is wrong
    except Exception as error:  # the binding raises plain Exception where no driver is found
        return {"driver": f"none ({error}): install libegl1, libgl1 and libgl1-mesa-dri"}
    info = context.info
    words = {"driver": str(info["GL_RENDERER"]), "version": str(info["GL_VERSION"])}
    words["largest picture"] = (
        f"{min(int(info['GL_MAX_RENDERBUFFER_SIZE']), *info['GL_MAX_VIEWPORT_DIMS'])} pixels on a side"
    )
    context.release()
    return words


def _libraries() -> dict[str, str]:
    import ctypes

    words = {}
    for name, package in _LIBRARIES.items():
        try:
            ctypes.CDLL(name)
            words[name] = "there"
        except OSError:
            words[name] = f"missing: install {package}"
    return words


def _packages() -> dict[str, str]:
    words = {}
    for name in _PACKAGES:
        try:
            words[name] = version(name)
        except PackageNotFoundError:
            use = _OPTIONAL.get(name)
            words[name] = f"not installed, needed for {use}" if use else "missing: install the program again"
    return words


def _folders() -> dict[str, str]:
    """Where the program keeps things, and how much is there."""
    import platformdirs

    from estompe import faults
    from estompe.evaluation.time.state_files import default_folder

    cache, config = platformdirs.user_cache_path("estompe"), platformdirs.user_config_path("estompe")
    places = {"caches": cache, "states": default_folder(), "preferences": config, "log": faults.log_file()}
    return {name: f"{path} ({_size(path)})" for name, path in places.items()}


def _size(path: Path) -> str:
    if path.is_file():
        return f"{path.stat().st_size / 1000:.0f} kB"
    if not path.is_dir():
        return "nothing yet"
    total = sum(file.stat().st_size for file in path.rglob("*") if file.is_file())
    return f"{total / 1e6:.1f} MB"
