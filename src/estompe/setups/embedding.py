"""Embedding: what is read from an animated file taken into the scene, so that it needs the file no longer."""

from pathlib import Path
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.document.edits import put
from estompe.document.project import Project
from estompe.document.resolving import Resolver
from estompe.document.scene import Scene, Transform
from estompe.document.transforms import matrix_of
from estompe.evaluation.planning.following import Following
from estompe.files.progress import Progress
from estompe.geometry import Domain
from estompe.geometry.copies import Copies
from estompe.importing.footage import Footage, RestPose, opened
from estompe.importing.link import Reading
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.numbers import Key, Keyed, Number
from estompe.setups.shot import ShotError
from estompe.shapes.embedded_copies import EmbeddedCopies, StoredOverTime
from estompe.shapes.embedded_mesh import EmbeddedMesh
from estompe.shapes.imported import keeping, stored, stored_attributes
from estompe.shapes.shot_copies import ShotCopies
from estompe.shapes.shot_mesh import ShotMesh, rest_of

_MOST_BYTES = 4 * 2**30
_SHEARED = 1e-3
_OVER_TIME = ("positions", "axes", "scales", "shown")
_BYTES_A_COPY = 61


def embedded(project: Project, shape: str, progress: Progress = lambda _fraction, _text: None) -> Project:
    """Store the frames of a shape with the scene, so that its animated file is no longer needed.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    shape : str
        The id of the shape.
    progress : callable
        Told a fraction and words; it may raise to cancel.

    Returns
    -------
    Project
        The scene with the frames as arrays beside it, and the shape's motion as keys.

    Raises
    ------
    ShotError
        For a shape that cannot be embedded, with words.
    """
    scene = project.scene
    owner = next(item for item in scene.shapes if item.id == shape)
    if not isinstance(owner.source, ShotMesh | ShotCopies):
        raise ShotError(f"{owner.name} cannot be embedded: only what was imported with a shot can")
    try:
        source = Resolver(scene, scene.first).part(("shapes", shape, "source"))
        made, assets = (_stored_copies if isinstance(source, ShotCopies) else _stored)(scene, source, progress)
        transform = keyed_transform(scene, ("shapes", shape))
    except CannotEvaluateError as error:
        raise ShotError(f"{owner.name} cannot be embedded: {error}") from None
    new = structs.replace(owner, source=made, transform=transform)
    return Project(put(scene, ("shapes", shape), new), {**project.assets, **assets}, project.variants)


def _stored(scene: Scene, source: ShotMesh, progress: Progress) -> tuple[EmbeddedMesh, dict[str, NDArray[Any]]]:
    footage: Footage = opened(Reading.of(source.file, scene))
    entry = footage.entry(source.prim)
    if "topology" in entry.varies:
        raise CannotEvaluateError("its faces change over time")
    count = scene.last - scene.first + 1 if entry.moves else 1
    if count * entry.points * 12 > _MOST_BYTES:
        raise CannotEvaluateError(f"its {count:,} frames are more than {_MOST_BYTES // 2**30} GB")
    rest = rest_of(source, footage)
    frames = []
    for number in range(scene.first, scene.first + count):
        progress((number - scene.first) / count, f"storing frame {number}")
        geometry = footage.geometry(source.prim, number, rest)
        frames.append(geometry.points)
    assets, keep = keeping()
    attributes = stored_attributes(geometry, keep)
    topology = geometry.topology
    made = EmbeddedMesh(
        keep(np.stack(frames)), keep(np.asarray(geometry.rest)), keep(topology.corners), keep(topology.offsets), scene.first,
        attributes, Path(source.file).name,
    )  # fmt: skip
    return made, assets


def _stored_copies(
    scene: Scene, source: ShotCopies, progress: Progress
) -> tuple[EmbeddedCopies, dict[str, NDArray[Any]]]:
    footage: Footage = opened(Reading.of(source.file, scene))
    entry = footage.entry(source.prim)
    count = scene.last - scene.first + 1 if entry.moves else 1
    if count * entry.points * _BYTES_A_COPY > _MOST_BYTES:
        raise CannotEvaluateError(f"its {count:,} frames are more than {_MOST_BYTES // 2**30} GB")
    found: list[Copies] = []
    for number in range(scene.first, scene.first + count):
        progress((number - scene.first) / count, f"storing frame {number}")
        copies = footage.geometry(source.prim, number, RestPose("", 0.0))
        assert isinstance(copies, Copies)
        if found and not (np.array_equal(copies.ids, found[0].ids) and np.array_equal(copies.form, found[0].form)):
            raise CannotEvaluateError(f"copies come, go or change their form on frame {number}")
        found.append(copies)
    assets, keep = keeping()
    positions, axes, scales, shown = (
        keep(_over_time([getattr(copies, name) for copies in found])) for name in _OVER_TIME
    )
    own = [copies.attribute(Domain.PIECE, "color") for copies in found]
    colors = [values for values in own if values is not None]
    color = keep(_over_time(colors)) if len(colors) == len(found) else None
    frames = StoredOverTime(positions, axes, scales, shown, color)
    forms = []
    for form in found[0].forms:
        mesh, more = stored(form)
        assets.update(more)
        forms.append(mesh)
    name = Path(source.file).name
    made = EmbeddedCopies(tuple(forms), keep(found[0].form), keep(found[0].ids), frames, scene.first, name)
    return made, assets


def _over_time(arrays: list[NDArray[Any]]) -> NDArray[Any]:
    """Arrays of frames in one, (frames, …); one frame where all are the same."""
    same = all(array is arrays[0] or np.array_equal(array, arrays[0]) for array in arrays)
    return np.stack(arrays[:1] if same else arrays)


def keyed_transform(scene: Scene, path: tuple[str, str]) -> Transform:
    """The transform of a shape or control with what it follows as keys of its own, one a frame where it moves.

    Raises CannotEvaluateError for motion that position, rotation and scale cannot say.
    """
    found: list[NDArray[np.float64]] = []
    frames = range(scene.first, scene.last + 1)
    for number in frames:
        following = Following(scene, number, Resolver(scene, number))
        item = following.placed(Resolver(scene, number).part(path), path)
        if following.lost:
            raise CannotEvaluateError(next(iter(following.lost.values())))
        found.append(matrix_of(item.transform))
    positions, rotations, scales = _parts_of(np.stack(found))
    numbers = [frames[0] + index for index in range(len(found))]
    return Transform(_triple(numbers, positions), _triple(numbers, rotations), _triple(numbers, scales))


def _parts_of(matrices: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Positions, rotations in degrees about X, then Y, then Z, without jumps, and scales, float64 (n, 3) each."""
    linear = matrices[:, :, :3]
    scales = np.maximum(np.linalg.norm(linear, axis=1), 1e-12)
    scales[np.linalg.det(linear) < 0, 0] *= -1
    turn = linear / scales[:, None, :]
    apart = np.abs(np.einsum("nij,nik->njk", turn, turn) - np.eye(3)).max()
    if apart > _SHEARED:
        raise CannotEvaluateError("it is sheared, which position, rotation and scale cannot say")
    y = np.arcsin(np.clip(-turn[:, 2, 0], -1.0, 1.0))
    x = np.arctan2(turn[:, 2, 1], turn[:, 2, 2])
    z = np.arctan2(turn[:, 1, 0], turn[:, 0, 0])
    rotations = np.degrees(np.unwrap(np.stack([x, y, z], axis=1), axis=0))
    return matrices[:, :, 3], rotations, scales


def _triple(frames: list[int], values: NDArray[np.float64]) -> tuple[Number, Number, Number]:
    x, y, z = (_number(frames, values[:, axis]) for axis in range(3))
    return x, y, z


def _number(frames: list[int], values: NDArray[np.float64]) -> Number:
    """A number with a key a frame, or a fixed one where it does not change."""
    rounded = np.round(values, 6)
    if (rounded == rounded[0]).all():
        return float(rounded[0])
    return Keyed(tuple(Key(float(frame), float(value), "linear") for frame, value in zip(frames, rounded, strict=True)))
