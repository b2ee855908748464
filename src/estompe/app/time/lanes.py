"""Which lanes of keys are shown, and edits of several keys at once."""

from dataclasses import dataclass

from msgspec import structs

from estompe.app.session import Session
from estompe.document import edits
from estompe.document.edits import ScenePath
from estompe.document.scene import Scene
from estompe.kinds.curve import Interpolation
from estompe.kinds.numbers import Formula, Keyed, with_moved_keys, without_keys

Mark = tuple[int, float]
"""A lane's index and a frame."""


@dataclass(frozen=True)
class Lane:
    """Keyed numbers that are shown as one line: one number, or the parts of one triple."""

    name: str
    paths: tuple[ScenePath, ...]
    frames: tuple[float, ...]


def roots_of(session: Session) -> list[ScenePath]:
    """What lanes are shown of: what is picked, the current falloff, and the current shape with its effects."""
    roots: list[ScenePath] = [session.selection.picked] if session.selection.picked else []
    if session.selection.falloff_id is not None:
        roots.append(("falloffs", session.selection.falloff_id))
    if session.selection.shape_id is not None and session.selection.picked != ("shapes", session.selection.shape_id):
        roots.append(("shapes", session.selection.shape_id))
    return [root for root in roots if edits.exists(session.document.scene, root)]


def formulas_of(session: Session) -> list[ScenePath]:
    """The numbers among these that follow a formula, each once."""
    found: dict[ScenePath, None] = {}
    for root in roots_of(session):
        for path, number in edits.numbers_below(edits.get(session.document.scene, root), root):
            if isinstance(number, Formula):
                found[path] = None
    return list(found)


def lanes_of(session: Session) -> list[Lane]:
    """Lanes of what is picked, of the current falloff, and of the current shape's effects."""
    grouped: dict[ScenePath, list[tuple[ScenePath, Keyed]]] = {}
    for root in roots_of(session):
        for path, number in edits.keyed_below(edits.get(session.document.scene, root), root):
            parent = path[:-1] if isinstance(path[-1], int) else path
            lane = grouped.setdefault(parent, [])
            if (path, number) not in lane:  # a picked part stands below its shape too
                lane.append((path, number))
    return [_lane(session, parent, found) for parent, found in grouped.items()]


def _lane(session: Session, parent: ScenePath, found: list[tuple[ScenePath, Keyed]]) -> Lane:
    frames = sorted({key.frame for _, number in found for key in number.keys})
    return Lane(session.document.name_of(parent), tuple(path for path, _ in found), tuple(frames))


def moved(scene: Scene, lanes: list[Lane], marks: set[Mark], by: float, copy: bool) -> Scene:
    """The scene with keys moved, or copied, by some frames."""
    for index, lane in enumerate(lanes):
        frames = {frame for lane_index, frame in marks if lane_index == index}
        for path in lane.paths if frames else ():
            number = edits.get(scene, path)
            if any(key.frame in frames for key in number.keys):
                scene = edits.put(scene, path, with_moved_keys(number, frames, by, copy))
    return scene


def removed(scene: Scene, lanes: list[Lane], marks: set[Mark]) -> Scene:
    """The scene without keys; numbers that lose their last one stay at its value."""
    for index, lane in enumerate(lanes):
        frames = {frame for lane_index, frame in marks if lane_index == index}
        for path in lane.paths if frames else ():
            scene = edits.put(scene, path, without_keys(edits.get(scene, path), frames))
    return scene


def shaped(scene: Scene, lanes: list[Lane], marks: set[Mark], interpolation: Interpolation) -> Scene:
    """The scene with keys that go on to the next in another way."""
    for index, frame in marks:
        for path in lanes[index].paths:
            number = edits.get(scene, path)
            if not isinstance(number, Keyed):
                continue
            keys = tuple(
                structs.replace(key, interpolation=interpolation) if key.frame == frame else key for key in number.keys
            )
            scene = edits.put(scene, path, structs.replace(number, keys=keys))
    return scene
