"""What an animated file is to us: a tree of prims that are meshes, copies, cameras and transforms, each asked for at a time.

A stage is opened in the process that serves it (`estompe.importing.serving`) and nowhere else, so it may be as slow, as large
or as badly behaved as its library is.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal, NamedTuple, Protocol

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.files.progress import ExchangeError
from estompe.registered import import_all

EntryKind = Literal["mesh", "copies", "camera", "transform", "other"]
"""What an entry of the tree can become; "other" is what is not imported, and its note says why."""
Arrays = dict[str, NDArray[Any]]
MOST_ENTRIES = 50_000


class Entry(Struct, frozen=True):
    """A prim of the tree.

    points: of a mesh at the first time, copies of copies; moves: whether anything of it changes over time; note: what a person
    should know; varies: what changes, of "points", "topology" and "attributes"; named: what it is called where its path does not
    say; color: of a mesh as a whole; skinned: whether it is bound to a skeleton; members: the prims of native instances, by their
    ids; hidden: whether it is not meant for pictures, so that it is imported only if somebody says so.
    """

    path: str
    kind: EntryKind
    points: int = 0
    moves: bool = False
    note: str = ""
    varies: tuple[str, ...] = ()
    named: str = ""
    color: tuple[float, float, float] | None = None
    skinned: bool = False
    members: tuple[str, ...] = ()
    hidden: bool = False

    @property
    def name(self) -> str:
        """What it is called."""
        return self.named or self.path.rsplit("/", 1)[-1]


class About(Struct, frozen=True):
    """What a file holds.

    entries: in the order of the tree; first, last: time codes, None where it does not say; rate: time codes per second, 0 where
    they are frames of whatever rate; up: its up axis; metres_per_unit, frames_per_second: None where it does not say; files:
    every file it is made of; notes: what was left out.
    """

    entries: tuple[Entry, ...]
    first: float | None
    last: float | None
    rate: float
    up: Literal["Y", "Z"] = "Y"
    metres_per_unit: float | None = None
    frames_per_second: float | None = None
    files: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    default_prim: str = ""


class Lens(Struct, frozen=True):
    """What a camera sees: the film's height as an angle in degrees, width through height, its offset in halves of the height,
    and the distances between which something is seen; parallel: the height of what an orthographic camera sees, 0 for any other.
    Lengths are those of the file."""

    view_angle: float
    aspect: float
    offset: tuple[float, float] = (0.0, 0.0)
    clipping: tuple[float, float] | None = None
    parallel: float = 0.0


class Sampled(NamedTuple):
    """A prim at a time. still: arrays that are the same at all times; moving: the others; meta: what is no array.

    Of a mesh: points float64 or float32 (n, 3), corners (m,), sizes (faces,), and attributes as "point uv", by domain and name.
    Of copies: form (k,), positions (k, 3), axes (k, 9), scales (k, 3), ids (k,), shown (k,), attributes as "piece color", and
    its forms' arrays behind their number, as "0 points".
    """

    still: Arrays
    moving: Arrays
    notes: tuple[str, ...] = ()


class Split:
    """Arrays on their way out, static ones apart from moving ones."""

    def __init__(self) -> None:
        self.still: Arrays = {}
        self.moving: Arrays = {}

    def put(self, name: str, array: NDArray[Any], moves: bool) -> None:
        """Add an array."""
        (self.moving if moves else self.still)[name] = np.ascontiguousarray(array)


class Space(NamedTuple):
    """How a file's space becomes the scene's: its lengths times a scale, turned so that Y is up."""

    scale: float
    upright: bool

    @property
    def linear(self) -> NDArray[np.float64]:
        """File to scene, float64 (3, 3)."""
        turn = np.eye(3) if self.upright else np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]])
        return self.scale * turn

    def points(self, points: NDArray[Any]) -> NDArray[np.float32]:
        """Points of the file's space in the scene's, float32 (n, 3)."""
        if self.scale == 1.0 and self.upright:
            return np.ascontiguousarray(points, np.float32)
        made = np.empty(points.shape, np.float32)
        sides = ((0, 1.0), (1, 1.0), (2, 1.0)) if self.upright else ((0, 1.0), (2, 1.0), (1, -1.0))
        for column, (source, sign) in enumerate(sides):
            np.multiply(points[:, source], np.float64(sign * self.scale), out=made[:, column], casting="same_kind")
        return made

    def matrix(self, matrix: NDArray[np.float64], camera: bool = False) -> NDArray[np.float64]:
        """A matrix between spaces of the file, float64 (4, 4), columns, as one between spaces of the scene.

        camera: of a camera, which looks down its own -Z with Y up whatever is up in the world.
        """
        if self.scale == 1.0 and self.upright:
            return matrix
        outer, inner = np.eye(4), np.eye(4)
        outer[:3, :3] = self.linear
        inner[:3, :3] = self.scale * np.eye(3) if camera else self.linear
        return outer @ matrix @ np.linalg.inv(inner)


class Stage(Protocol):
    """An open file. Each method raises ExchangeError for what cannot be read."""

    def about(self) -> About:
        """What the file holds."""

    def sampled(self, path: str, time: float, space: Space) -> Sampled:
        """A mesh or copies at a time code, in the prim's own space, brought into the scene's units and up axis."""

    def matrix(self, path: str, time: float) -> tuple[NDArray[np.float64], bool]:
        """The prim's space to the world's, float64 (4, 4), columns, in the file's units; and whether it moves."""

    def lens(self, path: str, time: float) -> Lens:
        """What a camera sees, in the file's units."""


Open = Callable[[Path], Stage]
STAGES: dict[str, Open] = {}


def register_stage(endings: tuple[str, ...], open_file: Open) -> None:
    """Make a format known for its endings. Raises ValueError for an ending that is taken."""
    for ending in endings:
        if ending in STAGES:
            raise ValueError(f"two formats of animated files end in {ending}")
        STAGES[ending] = open_file


def load_stages() -> None:
    """Register the formats in `stages`."""
    import estompe.importing.stages

    import_all(estompe.importing.stages.__name__, estompe.importing.stages.__path__)


def stage_endings() -> tuple[str, ...]:
    """The endings of animated files."""
    load_stages()
    return tuple(STAGES)


def open_stage(path: Path) -> Stage:
    """Open a file by its ending. Raises ExchangeError."""
    load_stages()
    opening = STAGES.get(path.suffix.lower())
    if opening is None:
        raise ExchangeError(f"“{path.suffix}” is not a known ending of an animated file; known are {' '.join(STAGES)}")
    if not path.exists() and "#" not in path.name:
        raise ExchangeError("there is no such file")
    if path.is_dir():
        raise ExchangeError("is a folder, not a file")
    return opening(path)
