"""The command line: `estompe`, and its commands prepare, sample, info, bake and render."""

import argparse
import contextlib
import json
import os
import re
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import NoReturn

COMMANDS = ("prepare", "sample", "info", "bake", "render")


class UsageError(Exception):
    """Something the person typed cannot be done; the text is one line."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line. Returns 0, or 2 after one line on stderr."""
    words = list(sys.argv[1:] if arguments is None else arguments)
    errors = _expected_errors()
    try:
        if words and words[0] in COMMANDS:
            return _command(words)
        return _window(words)
    except errors as error:
        text = " ".join(str(error).split())
        print(f"estompe: {text}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("estompe: cancelled", file=sys.stderr)
        return 2
    except BrokenPipeError:
        sys.stderr.close()
        return 2


def _expected_errors() -> tuple[type[Exception], ...]:
    from estompe.document.file import FileError
    from estompe.exchange import ExchangeError
    from estompe.render import RenderError

    return UsageError, FileError, ExchangeError, RenderError


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise UsageError(f"{message} (see `{self.prog} --help`)")


def _window(words: Sequence[str]) -> int:
    epilog = "commands: estompe prepare, sample, info, bake and render; each has its own --help"
    parser = _Parser("estompe", description="Falloff-driven procedural effects.", epilog=epilog)
    parser.add_argument("file", nargs="?", type=Path, metavar="FILE", help="a scene to open, or a mesh to bring in")
    parser.add_argument("--sample", metavar="NAME", help="open a sample scene")
    parser.add_argument("--version", action="store_true", help="print the version and stop")
    chosen = parser.parse_args(words)
    if chosen.version:
        from estompe import __version__

        print(__version__)
        return 0
    if chosen.sample is not None:
        _sample(chosen.sample)
    if chosen.file is not None and not chosen.file.exists():
        raise UsageError(f"{chosen.file}: there is no such file")
    if not os.environ.get("QT_QPA_PLATFORM") and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise UsageError(
            "there is no display to open a window on; `estompe bake` and `estompe render` work without one"
        )
    from estompe.app.start import run

    return run(chosen.file, chosen.sample)


def _command(words: Sequence[str]) -> int:
    parser = _Parser("estompe")
    commands = parser.add_subparsers(dest="command", required=True)
    commands.add_parser("prepare", help="compile the kernels for this machine, so that the first start is quick")
    one = commands.add_parser("sample", help="list the sample scenes, or save one")
    one.add_argument("name", nargs="?", metavar="NAME")
    one.add_argument("--list", action="store_true", help="print the samples' names")
    one.add_argument("--save", type=Path, metavar="FILE", help="write the scene to a file")
    info = commands.add_parser("info", help="print what a scene or mesh file holds, as JSON")
    info.add_argument("file", type=Path, metavar="FILE")
    bake = commands.add_parser("bake", help="work out frames and write meshes")
    bake.add_argument("file", type=Path, metavar="FILE")
    bake.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    bake.add_argument("--out", type=Path, required=True, metavar="X.usdc|DIR", help="a USD file, or a folder with --as")
    bake.add_argument("--as", dest="form", choices=("obj", "ply"), help="a sequence of mesh files")
    render = commands.add_parser("render", help="draw a frame through the scene's camera")
    render.add_argument("file", type=Path, metavar="FILE")
    render.add_argument("--frame", type=float, metavar="N", help="the frame; the first one if left out")
    render.add_argument("--size", default="1280x800", metavar="WxH", help="the picture's width and height")
    render.add_argument("--out", type=Path, required=True, metavar="X.png")
    render.add_argument("--show", choices=("shaded", "strength"), default="shaded")
    render.add_argument("--falloff", metavar="NAME", help="whose strength to show")
    chosen = parser.parse_args(words)
    runs = {"prepare": _run_prepare, "sample": _run_sample, "info": _run_info, "bake": _run_bake, "render": _run_render}
    runs[chosen.command](chosen)
    return 0


def _sample(name: str):  # type: ignore[no-untyped-def]
    from estompe.samples import SAMPLES, sample

    try:
        return sample(name)
    except KeyError:
        raise UsageError(
            f"there is no sample “{name}”; there are: {', '.join(item.name for item in SAMPLES)}"
        ) from None


def _run_prepare(_chosen: argparse.Namespace) -> None:
    from estompe.evaluate.warm import prepare

    took = prepare()
    print(f"the kernels are ready ({took:.0f} s)")


def _run_sample(chosen: argparse.Namespace) -> None:
    from estompe.document import file
    from estompe.samples import SAMPLES

    if chosen.list or chosen.name is None:
        for item in SAMPLES:
            print(f"{item.name}\t{item.text}")
        return
    built = _sample(chosen.name).build()
    if chosen.save is None:
        raise UsageError("say where to write the sample, with --save FILE.estompe")
    if chosen.save.suffix != file.ENDING:
        raise UsageError(f"{chosen.save}: a scene file ends in {file.ENDING}")
    file.save(built, chosen.save)


def _project(path: Path):  # type: ignore[no-untyped-def]
    """The project in a scene file, or one made around a mesh."""
    import estompe
    from estompe.document.file import ENDING
    from estompe.document.shaping import project_around
    from estompe.exchange.apart import read_mesh_apart

    if path.suffix.lower() == ENDING or path.is_dir() or not path.exists():
        return estompe.open(path)
    return project_around(read_mesh_apart(path, lambda _share, _text: None), path)


def _run_info(chosen: argparse.Namespace) -> None:
    import estompe

    project = _project(chosen.file)
    scene = project.scene
    frame = estompe.evaluate(project, scene.first)
    told = {
        "file": str(chosen.file),
        "frames": {"first": scene.first, "last": scene.last, "per_second": scene.frames_per_second},
        "shapes": [
            {
                "name": shape.name,
                "points": len(frame[shape.id].points),
                "faces": frame[shape.id].topology.faces,
                "effects": [_told_effect(scene, effect) for effect in shape.effects],
            }
            for shape in scene.shapes
        ],
        "controls": [{"name": control.name, "form": control.form} for control in scene.controls],
        "falloffs": [
            {"name": item.name, "layers": [layer.source.__struct_config__.tag for layer in item.layers]}
            for item in scene.falloffs
        ],
        "problems": [problem.text for problem in frame.problems],
    }
    print(json.dumps(told, indent=1, ensure_ascii=False))


def _told_effect(scene, effect) -> dict[str, object]:  # type: ignore[no-untyped-def]
    names = {item.id: item.name for item in scene.falloffs}
    falloffs = [names.get(route.falloff, route.falloff) for route in effect.routes]
    return {"kind": effect.settings.__struct_config__.tag, "enabled": effect.enabled, "falloffs": falloffs}


def _run_bake(chosen: argparse.Namespace) -> None:
    from estompe.exchange import sequence, usd_out

    project = _project(chosen.file)
    first, last = _frames(chosen.frames, project.scene.first, project.scene.last)
    if chosen.form:
        made = sequence.write(project, first, last, chosen.out, chosen.form, _tell)
        print(f"{len(made)} files in {chosen.out}")
    elif chosen.out.suffix.lower() in usd_out.ENDINGS:
        usd_out.write(project, first, last, chosen.out, _tell)
        print(f"frames {first}-{last} in {chosen.out}")
    else:
        raise UsageError(f"{chosen.out}: end it in .usdc or .usda, or say --as obj or --as ply for a folder")


def _tell(share: float, text: str) -> None:
    """Progress on a terminal, and nothing in a log."""
    if sys.stderr.isatty():
        print(f"\r{share:4.0%}  {text}\033[K", end="\n" if share >= 1.0 else "", file=sys.stderr, flush=True)


def _frames(text: str | None, first: int, last: int) -> tuple[int, int]:
    if text is None:
        return first, last
    match = re.fullmatch(r"(-?\d{1,7})(?:-(-?\d{1,7}))?", text)
    if match is None:
        raise UsageError(f"--frames {text}: write it as A-B, such as 1-24")
    begin = int(match[1])
    return begin, int(match[2]) if match[2] is not None else begin


def _run_render(chosen: argparse.Namespace) -> None:
    import estompe
    from estompe.render import picture

    size = _size(chosen.size, picture.LARGEST)
    if chosen.out.suffix.lower() != ".png":
        raise UsageError(f"{chosen.out}: pictures are PNG, end it in .png")
    project = _project(chosen.file)
    frame = estompe.evaluate(project, project.scene.first if chosen.frame is None else chosen.frame)
    falloff = None
    if chosen.show == "strength":
        falloff = _falloff(frame, chosen.falloff)
    drawn = picture.camera_picture(frame, size, falloff)
    try:
        picture.save_png(drawn, chosen.out)
    except OSError as error:
        raise UsageError(f"{chosen.out}: cannot be written ({error.strerror or error})") from None


def _size(text: str, most: int) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{1,6})x(\d{1,6})", text)
    if match is None or not all(1 <= int(side) <= most for side in match.groups()):
        raise UsageError(f"--size {text}: write it as WIDTHxHEIGHT, each 1 to {most}")
    return int(match[1]), int(match[2])


def _falloff(frame, name: str | None) -> str:  # type: ignore[no-untyped-def]
    names = ", ".join(item.name for item in frame.scene.falloffs)
    if name is None and len(frame.scene.falloffs) == 1:
        return str(frame.scene.falloffs[0].id)
    if name is None:
        raise UsageError(f"--show strength needs --falloff NAME; there are: {names or 'none'}")
    with contextlib.suppress(KeyError):
        return str(frame.falloff(name).id)
    raise UsageError(f"there is no falloff “{name}”; there are: {names or 'none'}")


if __name__ == "__main__":
    sys.exit(main())
