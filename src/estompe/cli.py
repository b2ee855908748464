"""The command line: `estompe`, and its commands prepare, sample, info, overlaps, bake, remember, land and render."""

import argparse
import contextlib
import gc
import json
import os
import re
import signal
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

if TYPE_CHECKING:
    from estompe.document.project import Project
    from estompe.document.scene import EffectSlot, Scene
    from estompe.evaluate import Frame
    from estompe.evaluate.past import Past
    from estompe.samples import Sample

COMMANDS = ("prepare", "sample", "info", "overlaps", "bake", "remember", "land", "render")


class UsageError(Exception):
    """Something the person typed cannot be done; the text is one line."""


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line. Returns 0, or 2 after one line on stderr."""
    words = _joined_ranges(list(sys.argv[1:] if arguments is None else arguments))
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    try:
        for number in (signal.SIGTERM, signal.SIGHUP):
            with contextlib.suppress(ValueError):  # only the main thread may
                signal.signal(number, _stopped)
        code = _command(words) if words and words[0] in COMMANDS else _window(words)
        sys.stdout.flush()
        return code
    except KeyboardInterrupt:
        return _told("cancelled")
    except BrokenPipeError:
        sys.stderr.close()
        return 2
    except Exception as error:
        return _told(_words(error))


def _stopped(_number: int, _frame: object) -> NoReturn:
    """End in order, so that nothing is left beside the target and no child goes on."""
    raise KeyboardInterrupt


def _told(text: str) -> int:
    from estompe.document.names import printable

    with contextlib.suppress(OSError):
        print(f"estompe: {printable(' '.join(text.split()))}", file=sys.stderr)
    return 2


def _words(error: Exception) -> str:
    """What a person is told of an error; one that nobody foresaw goes to the log as well."""
    from estompe.document.file import FileError
    from estompe.exchange.errors import ExchangeError

    expected: tuple[type[Exception], ...] = (UsageError, FileError, ExchangeError)
    if isinstance(error, expected):
        return str(error)
    if type(error).__name__ == "RenderError":  # its module is slow to import, and then there is none to tell
        return str(error)
    if isinstance(error, OSError) and error.errno is not None:
        return f"the output cannot be written ({error.strerror})"
    from estompe import faults

    return faults.record(error, "The command")


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
        "commands: estompe prepare, sample, info, overlaps, bake, remember, land and render; each has its own --help"
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
        _sample(chosen.sample)
    if chosen.file is not None and not chosen.file.exists():
        raise UsageError(f"{chosen.file}: there is no such file")
    if not os.environ.get("QT_QPA_PLATFORM") and not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise UsageError(
            "there is no display to open a window on; `estompe bake` and `estompe render` work without one"
        )
    # Nothing that is imported now will go: looking for what could be collected is time lost, until `run` goes on with it.
    gc.disable()
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
    info.add_argument(
        "--frame", type=float, metavar="N", help="evaluate this frame too: points after effects, and problems"
    )
    overlaps = commands.add_parser(
        "overlaps", help="print where one shape lies inside another after all effects, as JSON"
    )
    overlaps.add_argument("file", type=Path, metavar="FILE")
    overlaps.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    bake = commands.add_parser("bake", help="evaluate frames and write meshes")
    bake.add_argument("file", type=Path, metavar="FILE")
    bake.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    bake.add_argument("--out", type=Path, required=True, metavar="X.usdc|DIR", help="a USD file, or a folder with --as")
    bake.add_argument("--as", dest="format", metavar="FORMAT", help="a sequence of mesh files: obj or ply")
    bake.add_argument(
        "--states", type=Path, metavar="DIR", help="where what the scene remembers is kept; else the cache"
    )
    bake.add_argument("--from-cache", action="store_true", help="work out nothing: fail where a state is not kept")
    remember = commands.add_parser("remember", help="work out what a scene remembers, so that others need not")
    remember.add_argument("file", type=Path, metavar="FILE")
    remember.add_argument("--frames", metavar="A-B", help="the frames, such as 1-24; the whole shot if left out")
    remember.add_argument("--states", type=Path, metavar="DIR", help="where it is kept; the cache if left out")
    remember.add_argument("--into", type=Path, metavar="X.estompe", help="write the scene with the states in it")
    remember.add_argument("--every", type=int, default=1, metavar="N", help="with --into: only every so many frames")
    land = commands.add_parser("land", help="print what makes a falloff reach a shape on a frame, as JSON")
    land.add_argument("file", type=Path, metavar="FILE")
    land.add_argument("--shape", required=True, metavar="NAME")
    land.add_argument("--falloff", required=True, metavar="NAME")
    land.add_argument("--frame", type=float, required=True, metavar="N", help="the frame on which it should be reached")
    land.add_argument(
        "--share", type=float, default=0.5, metavar="0..1", help="how much of the shape; one half if left out"
    )
    land.add_argument("--element", type=int, metavar="N", help="one element instead, by its number")
    land.add_argument("--strength", type=float, default=0.5, metavar="0..1", help="the strength that counts")
    land.add_argument("--number", metavar="NAME", help="a number that may change too, such as 'Fire.Spread.rise'")
    land.add_argument("--take", type=int, metavar="N", help="with --save: the proposal to take, from 1 on")
    land.add_argument("--save", type=Path, metavar="X.estompe", help="write the scene with that change")
    render = commands.add_parser("render", help="draw a frame through the scene's camera")
    render.add_argument("file", type=Path, metavar="FILE")
    render.add_argument("--frame", type=float, metavar="N", help="the frame; the first one if left out")
    render.add_argument("--size", default="1280x800", metavar="WxH", help="the picture's width and height")
    render.add_argument("--out", type=Path, required=True, metavar="X.png")
    render.add_argument("--show", choices=("shaded", "strength"), default="shaded")
    render.add_argument("--falloff", metavar="NAME", help="whose strength to show")
    chosen = parser.parse_args(words)
    runs = {
        "prepare": _run_prepare,
        "sample": _run_sample,
        "info": _run_info,
        "overlaps": _run_overlaps,
        "bake": _run_bake,
        "remember": _run_remember,
        "land": _run_land,
        "render": _run_render,
    }
    runs[chosen.command](chosen)
    return 0


def _sample(name: str) -> "Sample":
    from estompe.samples import SAMPLES, sample

    try:
        return sample(name)
    except KeyError:
        raise UsageError(
            f"there is no sample “{name}”; there are: {', '.join(item.name for item in SAMPLES)}"
        ) from None


def _run_prepare(_chosen: argparse.Namespace) -> None:
    from estompe.evaluate.precompile import prepare

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


def _project(path: Path) -> "Project":
    """The project in a scene file, or one made around a mesh."""
    import estompe
    from estompe.document.file import ENDING
    from estompe.exchange.isolated import read_mesh_isolated
    from estompe.setups.meshes import project_around

    if path.suffix.lower() == ENDING or path.is_dir() or not path.exists():
        return estompe.open(path)
    mesh = read_mesh_isolated(path, lambda _fraction, _text: None)
    for note in mesh.notes:
        print(f"estompe: {path}: {note}", file=sys.stderr)
    return project_around(mesh, path)


def _run_info(chosen: argparse.Namespace) -> None:
    project = _project(chosen.file)
    frame = None if chosen.frame is None else _evaluated(project, chosen.frame)
    print(json.dumps(_described(project, chosen.file, frame), indent=1, ensure_ascii=False))


def _described(project: "Project", path: Path, frame: "Frame | None") -> dict[str, Any]:
    from estompe.document.kinds import tag_of

    scene = project.scene
    described: dict[str, Any] = {
        "file": str(path),
        "frames": {"first": scene.first, "last": scene.last, "per_second": scene.frames_per_second},
        "shapes": [
            {
                "name": shape.name,
                "source": tag_of(shape.source),
                **_counted(project, shape.id, frame),
                "effects": [_described_effect(scene, slot) for slot in shape.effects],
            }
            for shape in scene.shapes
        ],
        "controls": [{"name": control.name, "form": control.form} for control in scene.controls],
        "falloffs": [
            {"name": item.name, "layers": [tag_of(layer.source) for layer in item.layers]} for item in scene.falloffs
        ],
    }
    if frame is not None:
        described["frame"] = frame.number
        described["problems"] = [problem.text for problem in frame.problems]
    return described


def _counted(project: "Project", shape: str, frame: "Frame | None") -> dict[str, Any]:
    """Points and faces before effects, or after them on a frame."""
    from estompe.document import edits
    from estompe.document.kinds import CannotEvaluateError
    from estompe.evaluate import evaluate
    from estompe.geometry.copies import Copies, copies_of

    try:
        source = edits.get(project.scene, ("shapes", shape)).source
        if frame is None and source.assembles():
            frame = evaluate(project, project.scene.first)
        mesh = source.build(project.assets) if frame is None else frame[shape]
    except CannotEvaluateError as error:
        return {"points": 0, "faces": 0, "problem": str(error)}
    if isinstance(mesh, Copies):
        return {"points": mesh.points_when_real, "copies": copies_of(mesh), "forms": len(mesh.forms)}
    counted: dict[str, Any] = {"points": len(mesh.points), "faces": mesh.topology.faces}
    if mesh.topology.parted is not None:
        counted["pieces"], counted["piece"] = len(mesh.pieces), mesh.pieces.word
    return counted


def _described_effect(scene: "Scene", slot: "EffectSlot") -> dict[str, object]:
    from estompe.document.kinds import tag_of

    names = {item.id: item.name for item in scene.falloffs}
    falloffs = [names.get(route.falloff, route.falloff) for route in slot.routes]
    described: dict[str, object] = {"kind": tag_of(slot.effect), "enabled": slot.enabled, "falloffs": falloffs}
    return described if slot.acts_on == "points" else {**described, "acts_on": slot.acts_on}


def _run_bake(chosen: argparse.Namespace) -> None:
    from estompe.exchange import sequence
    from estompe.exchange.formats import SCENE_WRITERS, SEQUENCE_WRITERS, load_formats, scene_writer_for

    load_formats()
    if chosen.format is not None and chosen.format not in SEQUENCE_WRITERS:
        raise UsageError(f"--as {chosen.format}: there are {', '.join(SEQUENCE_WRITERS)}")
    writer = scene_writer_for(chosen.out)
    if chosen.format is None and writer is None:
        ends = " or ".join(ending for item in SCENE_WRITERS.values() for ending in item.endings)
        words = " or ".join(f"--as {name}" for name in SEQUENCE_WRITERS)
        raise UsageError(f"{chosen.out}: end it in {ends}, or say {words} for a folder")
    project = _project(chosen.file)
    first, last = _frames(chosen.frames, project.scene.first, project.scene.last)
    past = _past_of(project, chosen.states, chosen.from_cache)
    if chosen.format is not None:
        made = sequence.write(project, first, last, chosen.out, chosen.format, _progress, past)
        print(f"{len(made)} files in {chosen.out}")
    elif writer is not None:
        writer.write(project, first, last, chosen.out, _progress, past)
        print(f"frames {first}-{last} in {chosen.out}")
    _tell_trouble(past)


def _past_of(project: "Project", states: Path | None, only_kept: bool = False) -> "Past":
    from estompe.exchange.states import past_of

    if states is not None and states.exists() and not states.is_dir():
        raise UsageError(f"{states}: is a file, not a folder")
    return past_of(project, states, only_kept=only_kept)


def _tell_trouble(past: "Past") -> None:
    """Say what could not be kept; the work itself is done."""
    if past.keep.trouble:
        print(f"estompe: {past.keep.trouble}", file=sys.stderr)


def _run_remember(chosen: argparse.Namespace) -> None:
    from estompe.document import file
    from estompe.exchange.states import with_states, work_out

    if chosen.into is not None and chosen.into.suffix != file.ENDING:
        raise UsageError(f"{chosen.into}: a scene file ends in {file.ENDING}")
    if chosen.every < 1:
        raise UsageError(f"--every {chosen.every}: use a whole number from 1 on")
    project = _project(chosen.file)
    first, last = _frames(chosen.frames, project.scene.first, project.scene.last)
    if last < first:
        raise UsageError(f"--frames {chosen.frames}: the last comes before the first")
    past = _past_of(project, chosen.states)
    steps = work_out(past, first, last, _progress)
    kept = sum(len(links) for links in past.links.values())
    print(f"{len(past.links)} places remember: {kept} states, {steps} steps run now")
    if chosen.into is not None:
        made = with_states(past, chosen.every)
        file.save(made, chosen.into)
        print(f"{len(made.scene.states)} states are in {chosen.into}")
    _tell_trouble(past)


def _progress(fraction: float, text: str) -> None:
    """Progress on a terminal, and nothing in a log."""
    if sys.stderr.isatty():
        print(f"\r{fraction:4.0%}  {text}\033[K", end="\n" if fraction >= 1.0 else "", file=sys.stderr, flush=True)


def _run_overlaps(chosen: argparse.Namespace) -> None:
    from estompe.evaluate import Memo, evaluate
    from estompe.evaluate.overlap import open_shapes, overlaps

    project = _project(chosen.file)
    first, last = _frames(chosen.frames, project.scene.first, project.scene.last)
    names = {shape.id: shape.name for shape in project.scene.shapes}
    memo, found = Memo(), []
    opened: set[str] = set()
    for number in range(first, last + 1):
        frame = evaluate(project, number, memo)
        opened |= set(open_shapes(frame))
        found += [
            {
                "frame": number,
                "inside": names[item.other],
                "shape": names[item.inside],
                "points": len(item.points),
                "deepest": round(item.deepest, 6),
            }
            for item in overlaps(frame)
        ]
    told = {"frames": {"first": first, "last": last}, "overlaps": found, "open": sorted(opened)}
    print(json.dumps(told, indent=1, ensure_ascii=False))


def _frames(text: str | None, first: int, last: int) -> tuple[int, int]:
    if text is None:
        return first, last
    match = re.fullmatch(r"(-?\d{1,7})(?:-(-?\d{1,7}))?", text)
    if match is None:
        raise UsageError(f"--frames {text}: write it as A-B, such as 1-24")
    begin = int(match[1])
    return begin, int(match[2]) if match[2] is not None else begin


def _evaluated(project: "Project", frame: float) -> "Frame":
    import estompe

    try:
        return estompe.evaluate(project, frame)
    except ValueError as error:
        raise UsageError(f"--frame: {error}") from None


def _run_render(chosen: argparse.Namespace) -> None:
    from estompe.render import picture

    size = _size(chosen.size, picture.LARGEST)
    if chosen.out.suffix.lower() != ".png":
        raise UsageError(f"{chosen.out}: pictures are PNG, end it in .png")
    project = _project(chosen.file)
    frame = _evaluated(project, project.scene.first if chosen.frame is None else chosen.frame)
    falloff = None
    if chosen.show == "strength":
        falloff = _falloff(frame, chosen.falloff)
    drawn = picture.camera_picture(frame, size, falloff)
    try:
        picture.save_png(drawn, chosen.out)
    except OSError as error:
        raise UsageError(f"{chosen.out}: cannot be written ({error.strerror or error})") from None


def _run_land(chosen: argparse.Namespace) -> None:
    from estompe.document import file
    from estompe.document.naming import path_of
    from estompe.evaluate.landing import CannotLandError, Landing, aim_at

    if (chosen.take is None) != (chosen.save is None):
        raise UsageError("--take and --save belong together: which proposal, and where the scene goes")
    if chosen.save is not None and chosen.save.suffix != file.ENDING:
        raise UsageError(f"{chosen.save}: a scene file ends in {file.ENDING}")
    if not 0 < chosen.share <= 1 or not 0 < chosen.strength < 1:
        raise UsageError("--share and --strength are fractions: use numbers between 0 and 1")
    project = _project(chosen.file)
    try:
        wanted = {"share": chosen.share, "strength": chosen.strength, "element": chosen.element}
        landing = Landing(project, aim_at(project, chosen.shape, chosen.falloff, **wanted))
        now = landing.now()
        found = list(landing.proposals(chosen.frame))
        if chosen.number is not None:
            found.append(landing.with_number(path_of(project.scene, tuple(chosen.number.split("."))), chosen.frame))
    except (CannotLandError, LookupError) as error:
        raise UsageError(str(error)) from None
    ways = [{"change": item.label, "lands": round(item.lands, 3)} for item in found]
    print(json.dumps({"now": round(now, 3), "ways": ways}, indent=1, ensure_ascii=False))
    if chosen.save is not None:
        if not 1 <= chosen.take <= len(found):
            raise UsageError(f"--take {chosen.take}: there are {len(found)} proposals")
        file.save(project.with_scene(found[chosen.take - 1].scene), chosen.save)


def _size(text: str, most: int) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{1,6})x(\d{1,6})", text)
    if match is None or not all(1 <= int(side) <= most for side in match.groups()):
        raise UsageError(f"--size {text}: write it as WIDTHxHEIGHT, each 1 to {most}")
    return int(match[1]), int(match[2])


def _falloff(frame: "Frame", name: str | None) -> str:
    names = ", ".join(item.name for item in frame.scene.falloffs)
    if name is None and len(frame.scene.falloffs) == 1:
        return frame.scene.falloffs[0].id
    if name is None:
        raise UsageError(f"--show strength needs --falloff NAME; there are: {names or 'none'}")
    with contextlib.suppress(KeyError):
        return frame.falloff(name).id
    raise UsageError(f"there is no falloff “{name}”; there are: {names or 'none'}")


if __name__ == "__main__":
    sys.exit(main())
