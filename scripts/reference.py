"""Make docs/reference.md: every source and effect with its settings and a picture, from the registry itself."""

import inspect
import json
import math
import sys
from hashlib import blake2b
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import msgspec
import numpy as np
from msgspec import structs
from PIL import Image

import estompe  # registers the kinds
from estompe.document import edits
from estompe.document.project import Project, asset_name
from estompe.document.references import references_of
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.fracture import Fracture
from estompe.effects.joints import Joints, straight_chain
from estompe.effects.poses import Pose, Poses
from estompe.effects.press import Press
from estompe.effects.press_down import PressDown
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.set_loose import SetLoose
from estompe.effects.sprout import Sprout
from estompe.falloffs.image import Image as Picture
from estompe.falloffs.painted import Painted
from estompe.falloffs.ramp import first_range
from estompe.geometry import frozen
from estompe.geometry.colors import display_value
from estompe.kinds.kind import Effect, ShapeSource, Source
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.registry import encode_kind, kinds
from estompe.kinds.settings import Setting, settings_of
from estompe.kinds.units import UNITS
from estompe.render.picture import camera_picture
from estompe.setups.adding import add_control, add_effect, add_layer, add_shape, new_shape_source
from estompe.setups.catalog import entries
from estompe.shapes import primitives
from estompe.shapes.box import Box
from estompe.shapes.branches_surface import BranchesOverSurface
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_surface import StrandsFrom

ROOT = Path(__file__).resolve().parents[1]
PAGE, PICTURES = ROOT / "docs" / "reference.md", ROOT / "src" / "estompe" / "app" / "pictures"
_DIGESTS = ROOT / "scripts" / "reference_pictures.json"
"""What each picture was drawn from, so that only those that would differ are drawn again."""
_SIZE = (440, 320)
_VASE = ((0.0, 0.0), (0.28, 0.0), (0.34, 0.06), (0.42, 0.45), (0.36, 0.8), (0.18, 1.0), (0.2, 1.15), (0.28, 1.22))
_RANGES = {
    "length": Range(0.1, 0.9), "degrees": Range(20.0, 120.0), "noise": Range(0.6, -0.6),
    "along": Range(1.0, 0.0), "sweep": Range(-0.3, 0.5), "surface": Range(0.0, 0.5), "camera-distance": Range(3.2, 4.1),
    "bend": Range(36.0, 0.0), "loose": Range(0.4, 0.0), "reached": Range(1.0, 12.0), "speed": Range(0.07, 0.0),
}  # fmt: skip
_SETTINGS: dict[str, dict[str, Any]] = {
    "surface": {"shape": "stone"},
    "inside": {"shape": "stone"},
    "noise": {"amount": 1.0, "size": 0.35},
    "slope": {"direction": (0.3, 1.0, 0.4)},
    "attribute": {"name": "order"},
    "move": {"by": (0.25, 0.15, 0.0)},
    "attract": {"share": 0.4},
    "rotate": {"angle": 60.0, "pivot": (0.2, 0.0, 0.0)},
    "push": {"amount": 0.14},
    "crumple": {"amount": 0.3},
    "displace": {"amount": 0.18},
    "sway": {"by": (0.22, 0.0, 0.13), "size": 0.7},
    "subdivide": {"levels": 1},
    "merge": {"shapes": ("knob",), "joint": 0.09, "voxel": 0.012},
    "round": {"smooth": 0.12, "voxel": 0.012},
    "thicken": {"thickness": 0.08, "voxel": 0.012},
    "weather": {"amount": 0.14, "voxel": 0.012},
    "coat": {"thickness": 0.1, "voxel": 0.012},
    "grow": {"reach": 0.24, "voxel": 0.012},
    "grow-by-steps": {"reach": 0.3, "speed": 0.5, "voxel": 0.016},
    "open-out": {"opened": 0.62},
    "shell": {"thickness": 0.045, "mode": "outline"},
    "ridges": {"depth": 0.09},
    "smooth": {"iterations": 60},
    "scatter-apart": {"least": (0.0, 0.02, 0.0), "most": (0.05, 0.2, 0.05), "axes": "outward", "rotation": (60.0,) * 3},
    "fracture": {"cells": 90, "close": True},
    "shed": {"threshold": 0.15, "swirl": 1.2, "out": 0.8, "gravity": (0.0, -2.0, 0.0), "drag": 3.0},
    "set-loose": {"threshold": 0.1, "push": (0.3, 0.3, 1.2), "tumble": 120.0},
    "spread": {"threshold": 0.1, "rise": 10.0},
    "lag": {"frames": 8.0},
    "speed": {"control": None},
    "copies-on": {"elements": "faces"},
    "copies-buds": {"spacing": 0.07, "scale": 0.35, "bare": 0.04},
    "branches-space": {"twigs": 500, "origin": None},
    "branches-surface": {"twigs": 500, "origin": None},
    "sprout": {"grown": 0.75, "width": 0.012, "gather": 2.4},
    "skin": {"voxel": 0.009},
    "ruffle": {"speed": 12.0, "most": 2.4, "thickness": 0.035},
}

_FOLLOWING = ("falloff", "stays", "after-glow", "reached", "spread", "lag")
_MOVING = ("loose", "stays", "after-glow", "reached", "lag", "speed")
_NEAR = dict.fromkeys(("stays", "after-glow", "reached", "lag"), Range(0.12, 0.32)) | {"spread": Range(0.25, 0.33)}
_SPROUT = Sprout(width=0.012, gather=2.4)
_THROWN = ScatterApart((0.0, 0.02, 0.0), (0.03, 0.16, 0.03), "outward", (40.0, 40.0, 40.0))


def _scene(kind: str) -> Scene:
    """A vase, a control beside it, a path around it, and a shape to look at."""
    control = Control("lamp", "Lamp", transform=Transform((0.5, 0.75, 0.45) if kind != "press" else (0.2, 0.72, 0.66)))
    turns = np.linspace(0, 2.6 * np.pi, 40)
    spiral = tuple((0.48 * np.cos(t), 1.1 * t / 8, 0.48 * np.sin(t)) for t in turns.tolist())
    path = Control("spiral", "Spiral", "path", points=tuple((float(x), float(y), float(z)) for x, y, z in spiral))
    coarse = kind in ("subdivide",)
    vase = Shape(
        "vase", "Vase", Lathe(_VASE, 24 if coarse else 130, 16 if coarse else 110), color=(0.638, 0.538, 0.393)
    )
    if kind in ("press",):
        vase = Shape("vase", "Vase", Box(1.0, 1.1, 1.0, 60), Transform((0.0, 0.6, 0.0)), color=(0.638, 0.538, 0.393))
    other = Shape("stone", "Stone", Sphere(0.38, 24), Transform((0.32, 0.6, 0.3)), visible=False)
    camera = Camera("Reference", (1.7, 1.75, 3.0), (0.0, 0.58, 0.0), 27.0)
    return Scene((vase, other), (control, path), (Falloff("falloff", "Falloff"),), camera, first=1, last=48)


def _source_project(tag: str, folder: Path) -> tuple[Project, str]:
    scene, assets = _scene(tag), {}
    if tag in _FOLLOWING:
        scene = edits.insert(
            scene,
            ("falloffs",),
            Falloff("near", "Near", (Layer("l", kinds(Source)["distance"]("lamp")),), _NEAR.get(tag, Range(0.1, 0.9))),
        )
    if tag in _MOVING:
        across = Keyed((Key(1, -0.45, "linear"), Key(12, 0.45, "linear")))
        up = Keyed((Key(1, 0.25, "linear"), Key(12, 0.85, "linear")))
        scene = edits.put(scene, ("controls", "lamp", "transform", "position"), (across, up, 0.5))
    if tag == "bend":
        joints = edits.put(
            Joints(straight_chain((0, 0, 0), (0, 1.2, 0), 4)), ("joints", "joint-2", "rotation"), (0.0, 0.0, 35.0)
        )
        scene = edits.put(scene, ("shapes", "vase", "effects"), (EffectSlot("chain", joints),))
    if tag == "image":
        scene = edits.put(scene, ("shapes", "vase", "source"), Lathe(_VASE, 130, 110))
    if tag == "speed":
        swung = kinds(Effect)["rotate"](Keyed((Key(11, 0.0, "linear"), Key(12, 6.0, "linear"))), "z")
        scene = edits.put(scene, ("shapes", "vase", "effects"), (EffectSlot("swung", swung),))
    if tag == "loose":
        close = Falloff("close", "Close", (Layer("c", kinds(Source)["distance"]("lamp")),), Range(0.3, 0.6))
        scene = edits.insert(scene, ("falloffs",), close)
        loose = SetLoose(0.1, push=(0.3, 0.3, 1.2), tumble=120.0)
        slots = (
            EffectSlot("cut", Fracture(90, close=True)),
            EffectSlot("loose", loose, (Route("close"),), acts_on="pieces"),
            EffectSlot("seen", Color(), (Route("falloff"),)),
        )
        scene = edits.put(scene, ("shapes", "vase", "effects"), slots)
    scene, layer = add_layer(scene, "falloff", tag)
    path = ("falloffs", "falloff", "layers", layer, "source")
    for name, value in _SETTINGS.get(tag, {}).items():
        scene = edits.put(scene, (*path, name), value)
    if tag == "image":
        picture = folder / "waves.png"
        rows = np.sin(np.linspace(0, 6 * np.pi, 128))[:, None] + np.sin(np.linspace(0, 8 * np.pi, 256))[None]
        Image.fromarray(((rows / 4 + 0.5) * 255).astype(np.uint8)).save(picture)
        scene = edits.put(scene, path, Picture(str(picture)))
    if tag == "painted":
        points = estompe.evaluate(Project(scene), 1)["vase"].points
        places = ((0.3, 0.7, 0.3), (0.1, 0.4, 0.42), (0.38, 0.3, 0.1))
        strokes = [np.exp(-((points - place) ** 2).sum(axis=1) / 0.03) for place in places]
        mask = frozen(np.clip(np.sum(strokes, axis=0), 0, 1).astype(np.float32))
        assets[asset_name(mask)] = mask
        scene = edits.put(scene, path, Painted(asset_name(mask)))
    source = edits.get(scene, path)
    within = _RANGES.get(tag) or _RANGES.get(source.unit()) or first_range(source)
    scene = edits.put(scene, ("falloffs", "falloff", "range"), within)
    return Project(scene, assets), "falloff"


def _effect_project(tag: str) -> Project:
    scene, assets = _scene(tag), {}
    near = Layer("near", kinds(Source)["distance"]("lamp"))
    whole = tag in (
        "twist",
        "bend",
        "taper",
        "ridges",
        "open-out",
        "joints",
        "poses",
        "press",
        "shell",
        "outline",
        "press-down",
        "subdivide",
        "sway",
        "smooth",
        "separate",
        "fracture",
        "merge",
        "round",
        "thicken",
    )
    if tag in ("merge", "round", "weather", "coat", "grow", "grow-by-steps"):
        closed = Lathe((*_VASE, (0.0, 1.24)), 130, 110)
        scene = edits.put(scene, ("shapes", "vase", "source"), closed)
    if tag == "merge":
        knob = Shape(
            "knob", "Knob", Sphere(0.26, 20), Transform((0.38, 0.75, 0.25)), visible=False, color=(0.477, 0.1, 0.0331)
        )
        scene = edits.insert(scene, ("shapes",), knob)
    scene = edits.put(scene, ("falloffs", "falloff"), Falloff("falloff", "Falloff", (near,), Range(0.1, 0.8)))
    if tag == "smooth":
        bumps = Layer("bumps", kinds(Source)["noise"](1.0, 0.12, 2))
        scene = edits.insert(scene, ("falloffs",), Falloff("bumps", "Bumps", (bumps,), Range(0.7, -0.7)))
        scene, made = add_effect(scene, "vase", "displace", "bumps")
        scene = edits.put(scene, ("shapes", "vase", "effects", made, "effect", "amount"), 0.1)
    if tag == "scatter-apart":
        scene, _ = add_effect(scene, "vase", "separate", None)
    if tag == "shed":
        scene, _ = add_effect(scene, "vase", "separate", None)
    if tag == "set-loose":
        scene, cut = add_effect(scene, "vase", "fracture", None)
        scene = edits.put(scene, ("shapes", "vase", "effects", cut, "effect"), Fracture(90, close=True))
    scene, made = add_effect(scene, "vase", tag, None if whole and tag != "smooth" else "falloff")
    if tag in ("separate", "fracture"):
        scene, thrown = add_effect(scene, "vase", "scatter-apart", "falloff")
        scene = edits.put(scene, ("shapes", "vase", "effects", thrown, "effect"), _THROWN)
    path = ("shapes", "vase", "effects", made, "effect")
    for name, value in _SETTINGS.get(tag, {}).items():
        scene = edits.put(scene, (*path, name), value)
    if tag == "joints":
        joints = Joints(straight_chain((0, 0, 0), (0, 1.22, 0), 4), 0.3)
        joints = edits.put(joints, ("joints", "joint-2", "rotation"), (0.0, 0.0, -30.0))
        scene = edits.put(scene, path, edits.put(joints, ("joints", "joint-3", "rotation"), (0.0, 0.0, -35.0)))
    if tag == "poses":
        rest = primitives.lathe(np.array(_VASE), 130, 110).points
        lean = frozen(
            (rest + np.stack([0.5 * rest[:, 1] ** 2, 0 * rest[:, 1], 0.1 * np.sin(9 * rest[:, 1])], 1)).astype(
                np.float32
            )
        )
        assets[asset_name(lean)] = lean
        scene = edits.put(scene, path, Poses((Pose("lean", "Lean", asset_name(lean), 0.7),)))
    if tag == "press-down":
        grass = StrandsFrom(surface="vase", roots=260, length=0.3, lines=1, points=12, amplitude=0.0, width=0.012)
        owner = edits.get(scene, ("shapes", "vase"))
        bare = edits.put(scene, ("shapes", "vase", "effects"), ())
        grown = Shape("grass", "Grass", grass, effects=owner.effects, color=(0.0835, 0.133, 0.0397))
        scene = edits.insert(bare, ("shapes",), grown)
        path = ("shapes", "grass", *path[2:])
        scene = edits.put(scene, path, PressDown("lamp", 0.34))
    if tag == "press":
        scene = edits.put(scene, path, Press("lamp", 0.34, width=0.35, keep_volume=True))
    if tag in ("sprout", "skin"):
        scene = _with_branches(scene, path)
    return Project(scene, assets)


def _with_branches(scene: Scene, path: tuple[str, ...]) -> Scene:
    """The scene with the effects of the vase on branches over it instead."""
    effects = edits.get(scene, ("shapes", "vase", "effects"))
    if path[-2] == effects[0].id and not isinstance(effects[0].effect, Sprout):
        effects = (EffectSlot("grown", _SPROUT), effects[0])
    over = BranchesOverSurface(surface="vase", twigs=700)
    made = Shape("veins", "Veins", over, effects=effects, color=(0.477, 0.1, 0.0331))
    bare: Scene = edits.put(scene, ("shapes", "vase", "effects"), ())
    return edits.insert(bare, ("shapes",), made)


def _draw(project: Project, falloff: str | None, path: Path) -> None:
    frame = estompe.evaluate(project, 12)
    assert not frame.problems, (path.name, frame.problems)
    picture = camera_picture(frame, _SIZE, falloff)
    image = Image.fromarray(picture[..., :3]).resize((_SIZE[0] // 2, _SIZE[1] // 2), Image.Resampling.LANCZOS)
    image.quantize(96).save(path, optimize=True)


def _row(rule: Setting, default: object) -> str:
    unit = UNITS[rule.unit].words
    limits = ""
    if rule.unit == "display":
        limits = "0 … 100, and brighter"
    elif rule.low is not None or rule.high is not None:
        low, high = ("" if end is None else _shown(rule, end) for end in (rule.low, rule.high))
        limits = f"{low} … {high}"
    choices = ", ".join(rule.choices)
    return f"| {rule.label} | {_shown(rule, default)} | {unit} | {limits}{choices} | {rule.text} |"


def _shown(rule: Setting, value: object) -> str:
    """A value as the window shows it; nothing for what is found out when it is added, such as the first control."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if rule.unit == "display" and isinstance(value, float):
        return f"{display_value(value) * 100:.3g}"
    if isinstance(value, int | float):
        return f"{value * 100 if rule.unit == 'fraction' else value:.10g}"
    if isinstance(value, tuple) and value and all(isinstance(part, float) for part in value):
        return " ".join(_shown(rule, part) for part in value)
    return value if isinstance(value, str) else ""


def _section(tag: str, kind: Any) -> list[str]:
    lines = [f"### {kind.label}", "", f"![{kind.label}](../src/estompe/app/pictures/{tag}.png)", "", kind.text, ""]
    defaults = {field.name: field.default for field in structs.fields(kind)}
    rules = [rule for rule in settings_of(kind) if rule.editor != "hidden"]
    if rules:
        lines += ["| setting | at first | unit | limits or choices | |", "|---|---|---|---|---|"]
        lines += [_row(rule, defaults[rule.name]) for rule in rules]
        lines.append("")
    return lines


def text() -> str:
    """The page."""
    note = "Made from the program itself by `make reference`. Numbers can be fixed, keyed or follow a formula."
    lines = ["# Reference", "", note, "", "## Sources: what a falloff measures", ""]
    for tag, kind in kinds(Source).items():
        lines += _section(f"source-{tag}", kind)
    lines += ["## Effects: what a falloff drives", ""]
    for tag, kind in kinds(Effect).items():
        lines += _section(f"effect-{tag}", kind)
    lines += ["## Shapes: what is made from nothing", ""]
    for tag in _shapes():
        lines += _section(f"shape-{tag}", kinds(ShapeSource)[tag])
    return "\n".join(lines)


def _shapes() -> list[str]:
    """The shapes that are made from nothing."""
    return [entry.tag for entry in entries("shape")]


def _copying_project(tag: str) -> Project:
    """A shape made of others: small boxes over a sphere, or along a path."""
    scene, box = add_shape(Scene(), "Box", Box(0.12, 0.09, 0.12, 1))
    scene, sphere = add_shape(scene, "Sphere", Sphere(0.42, 24))
    scene, path = add_control(scene, "path", "Path")
    line = tuple((0.9 * math.cos(k * 0.4) - 0.1, 0.08 * k, 0.9 * math.sin(k * 0.4)) for k in range(9))
    scene = edits.put(scene, ("controls", path, "points"), line)
    scene = edits.put(scene, ("shapes", sphere, "transform"), Transform((0.0, 0.45, 0.0)))
    if kinds(ShapeSource)[tag].branches_setting:
        scene, grown = add_shape(scene, "Branches", BranchesOverSurface(surface=sphere, twigs=300))
        scene = edits.insert(scene, ("shapes", grown, "effects"), EffectSlot("sprout", _SPROUT))
    first = sphere if kinds(ShapeSource)[tag].makes_branches else box
    source = structs.replace(new_shape_source(scene, tag, first), **_SETTINGS.get(tag, {}))
    scene, made = add_shape(scene, "Made", source)
    if source.makes_branches:
        scene = edits.insert(scene, ("shapes", made, "effects"), EffectSlot("sprout", _SPROUT))
    used = {item.id for item in references_of(source)}
    scene = edits.put(scene, ("shapes", made, "color"), (0.523, 0.214, 0.107))
    for item in (box, sphere):
        seen = item == sphere and (sphere in used or bool(source.branches_setting)) and tag != "branches-space"
        scene = edits.put(scene, ("shapes", item, "visible"), seen)
    return Project(structs.replace(scene, camera=Camera("Reference", (1.7, 1.75, 3.0), (0.0, 0.45, 0.0), 30.0)))


def _shape_project(tag: str) -> Project:
    if kinds(ShapeSource)[tag].assembles():
        return _copying_project(tag)
    source = kinds(ShapeSource)[tag]()
    low, high = source.build({}).bounds
    at = 0.0, round(0.45 - 0.5 * float(low[1] + high[1]), 6), 0.0
    shape = Shape("shape", "Shape", source, Transform(at), color=(0.638, 0.538, 0.393))
    return Project(Scene((shape,), camera=Camera("Reference", (1.7, 1.75, 3.0), (0.0, 0.45, 0.0), 24.0)))


def _digest(project: Project, kind: type, files: Path | None = None) -> str:
    """What a picture is drawn from: the scene, and the code of the kind it shows. files: a folder whose path is not counted."""
    scene = msgspec.json.encode(project.scene, enc_hook=encode_kind)
    if files is not None:
        scene = scene.replace(str(files).encode(), b"")
    whole = blake2b(scene, digest_size=8)
    for name in sorted(project.assets):
        whole.update(name.encode())
    for base in kind.__mro__:
        if base.__module__.startswith("estompe."):
            whole.update(inspect.getsource(base).encode())
    return whole.hexdigest()


def main() -> None:
    """Draw the pictures whose scene or kind has changed, or all of them with --all, and write the page."""
    PICTURES.mkdir(parents=True, exist_ok=True)
    known = json.loads(_DIGESTS.read_text()) if _DIGESTS.exists() and "--all" not in sys.argv else {}
    digests: dict[str, str] = {}

    def draw(name: str, project: Project, kind: type, falloff: str | None = None, files: Path | None = None) -> None:
        digests[name] = _digest(project, kind, files)
        path = PICTURES / f"{name}.png"
        if known.get(name) != digests[name] or not path.exists():
            _draw(project, falloff, path)

    with TemporaryDirectory() as folder:
        for tag, kind in kinds(Source).items():
            project, falloff = _source_project(tag, Path(folder))
            draw(f"source-{tag}", project, kind, falloff, Path(folder))
    for tag, kind in kinds(Effect).items():
        draw(f"effect-{tag}", _effect_project(tag), kind)
    for tag in _shapes():
        draw(f"shape-{tag}", _shape_project(tag), kinds(ShapeSource)[tag])
    _DIGESTS.write_text(json.dumps(digests, indent=1, sort_keys=True) + "\n")
    PAGE.write_text(text(), encoding="utf-8")


if __name__ == "__main__":
    sys.exit(main())
