"""`estompe info`: print what a scene or mesh file holds, as JSON."""

import argparse
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

from estompe.commands.shared import evaluated_frame, open_project

if TYPE_CHECKING:
    from estompe.document.project import Project
    from estompe.document.scene import EffectSlot, Scene
    from estompe.evaluation import Frame

HELP = "print what a scene or mesh file holds, as JSON"


def arguments(parser: argparse.ArgumentParser) -> None:
    """Add the command's arguments."""
    parser.add_argument("file", type=Path, metavar="FILE")
    parser.add_argument(
        "--frame", type=float, metavar="N", help="evaluate this frame too: points after effects, and problems"
    )


def run(chosen: argparse.Namespace) -> None:
    """Run the command. Raises UsageError."""
    project = open_project(chosen.file)
    frame = None if chosen.frame is None else evaluated_frame(project, chosen.frame)
    print(json.dumps(_described(project, chosen.file, frame), indent=1, ensure_ascii=False))


def _described(project: "Project", path: Path, frame: "Frame | None") -> dict[str, Any]:
    from estompe.kinds.registry import tag_of

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
    from estompe.evaluation import evaluate
    from estompe.kinds.context import CannotEvaluateError

    try:
        source = edits.get(project.scene, ("shapes", shape)).source
        if frame is None and source.assembles():
            frame = evaluate(project, project.scene.first)
        mesh = source.build(project.assets) if frame is None else frame[shape]
    except CannotEvaluateError as error:
        return {"points": 0, "faces": 0, "problem": str(error)}
    return mesh.counts()


def _described_effect(scene: "Scene", slot: "EffectSlot") -> dict[str, object]:
    from estompe.kinds.registry import tag_of

    names = {item.id: item.name for item in scene.falloffs}
    falloffs = [names.get(route.falloff, route.falloff) for route in slot.routes]
    described: dict[str, object] = {"kind": tag_of(slot.effect), "enabled": slot.enabled, "falloffs": falloffs}
    return described if slot.acts_on == "points" else {**described, "acts_on": slot.acts_on}
