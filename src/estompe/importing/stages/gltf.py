"""glTF 2.0 and GLB over time: animated nodes, skins and morph targets (Khronos Group, "glTF 2.0 Specification", 2021).

Time codes are seconds. The first animation is played; outside of its keys values are held.
"""

from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from estompe.document.names import clean_name
from estompe.files.progress import ExchangeError
from estompe.geometry import Domain
from estompe.importing.merging import Part, welded
from estompe.importing.readers.gltf import GltfFile, body_of, node_matrix, primitive_part
from estompe.importing.stage import About, Arrays, Entry, Lens, Sampled, Space, register_stage

_MOST_NODES = 50_000
_DEEPEST = 500
_BROKEN = (KeyError, IndexError, TypeError, ValueError, AttributeError)


class _Track(NamedTuple):
    """What one channel of an animation does: times, float64 (k,), values, (k, width) or three times as many, and how between."""

    times: NDArray[np.float64]
    values: NDArray[np.float64]
    interpolation: str

    def at(self, time: float, turning: bool) -> NDArray[np.float64]:
        """The values at a time; turning: they are a quaternion."""
        times, cubic = self.times, self.interpolation == "CUBICSPLINE"
        values = self.values.reshape(len(times), 3, -1)[:, 1] if cubic else self.values
        after = int(np.searchsorted(times, time, side="right"))
        if after == 0 or after == len(times):
            held: NDArray[np.float64] = values[0 if after == 0 else -1]
            return held
        width = float(times[after] - times[after - 1])
        share = (time - float(times[after - 1])) / width
        made: NDArray[np.float64]
        if self.interpolation == "STEP":
            made = values[after - 1]
        elif cubic:
            made = self._cubic(after, share, width)
        elif turning:
            made = _slerp(values[after - 1], values[after], share)
        else:
            made = values[after - 1] * (1 - share) + values[after] * share
        return made / max(1e-12, float(np.linalg.norm(made))) if turning else made

    def _cubic(self, after: int, t: float, width: float) -> NDArray[np.float64]:
        keys = self.values.reshape(len(self.times), 3, -1)
        (_, start, out), (into, end, _) = keys[after - 1], keys[after]
        square, cube = t * t, t * t * t
        made: NDArray[np.float64] = (
            (2 * cube - 3 * square + 1) * start + width * (cube - 2 * square + t) * out
            + (3 * square - 2 * cube) * end + width * (cube - square) * into
        )  # fmt: skip
        return made


def _slerp(a: NDArray[np.float64], b: NDArray[np.float64], share: float) -> NDArray[np.float64]:
    """Spherical interpolation of quaternions, the short way round (Shoemake 1985, doi:10.1145/325165.325242)."""
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    if cosine > 0.9995:
        return a * (1 - share) + b * share
    angle = np.arccos(cosine)
    made: NDArray[np.float64] = (np.sin((1 - share) * angle) * a + np.sin(share * angle) * b) / np.sin(angle)
    return made


class _Body(NamedTuple):
    """The mesh of a node.

    primitives: as the file has them, each with its description; welded: the same as one part; kept: which of the points of all
    primitives each of the welded ones is.
    """

    primitives: list[tuple[Part, dict[str, Any]]]
    welded: Part
    kept: NDArray[np.int64]


class GltfStage:
    """A glTF or GLB file, its nodes as a tree of paths."""

    def __init__(self, path: Path) -> None:
        self._path = path
        try:
            self._file = GltfFile(path)
            self._nodes: list[dict[str, Any]] = list(self._file.json.get("nodes", []))
            if len(self._nodes) > _MOST_NODES:
                raise ExchangeError(f"it has {len(self._nodes):,} nodes, more than the {_MOST_NODES:,} that are read")
            self._parents = self._found_parents()
            self._paths = self._named_paths()
            self._numbers = {path: number for number, path in enumerate(self._paths)}
            self._tracks, self._notes = self._animated()
            self._bodies: dict[int, _Body | None] = {}
        except _BROKEN as error:
            raise _told(error) from None

    def _found_parents(self) -> list[int]:
        parents = [-1] * len(self._nodes)
        for number, node in enumerate(self._nodes):
            for child in node.get("children", ()):
                if parents[int(child)] != -1:
                    raise ExchangeError("a node stands in two places, which the format forbids")
                parents[int(child)] = number
        return parents

    def _named_paths(self) -> list[str]:
        taken: set[str] = set()
        found = [""] * len(self._nodes)
        for number in range(len(self._nodes)):
            for step in reversed(self._way_up(number)):
                if not found[step]:
                    outer = found[self._parents[step]] if self._parents[step] >= 0 else ""
                    stem = (
                        f"{outer}/{clean_name(str(self._nodes[step].get('name') or f'node_{step}')).replace('/', '_')}"
                    )
                    name, count = stem, 2
                    while name in taken:
                        name, count = f"{stem}_{count}", count + 1
                    taken.add(name)
                    found[step] = name
        return found

    def _way_up(self, number: int) -> list[int]:
        way = []
        while number >= 0:
            way.append(number)
            number = self._parents[number]
            if len(way) > _DEEPEST:
                raise ExchangeError(f"its nodes are more than {_DEEPEST} deep, or go round in a circle")
        return way

    def _animated(self) -> tuple[dict[tuple[int, str], _Track], list[str]]:
        animations = self._file.json.get("animations", [])
        notes = [f"it has {len(animations)} animations; the first is used"] if len(animations) > 1 else []
        tracks: dict[tuple[int, str], _Track] = {}
        for channel in animations[0]["channels"] if animations else ():
            target, sampler = channel["target"], animations[0]["samplers"][channel["sampler"]]
            if "node" not in target:
                continue
            times = self._file.accessor(sampler["input"]).astype(np.float64)
            values = self._file.accessor(sampler["output"]).astype(np.float64)
            if not len(times) or (np.diff(times) <= 0).any() or not np.isfinite(values).all():
                raise ExchangeError("an animation has no keys, or keys out of order")
            interpolation = str(sampler.get("interpolation", "LINEAR"))
            keys = len(times) * (3 if interpolation == "CUBICSPLINE" else 1)
            if values.size % keys:
                raise ExchangeError("an animation has other numbers of times and values")
            tracks[int(target["node"]), str(target["path"])] = _Track(times, values.reshape(keys, -1), interpolation)
        return tracks, notes

    def about(self) -> About:
        try:
            entries = tuple(self._entry(number) for number in self._in_order())
        except _BROKEN as error:
            raise _told(error) from None
        ends = [(float(track.times[0]), float(track.times[-1])) for track in self._tracks.values()]
        notes = list(self._notes)
        if not any(entry.kind == "mesh" for entry in entries):
            notes.append("there is no mesh in it")
        first = min((begin for begin, _ in ends), default=None)
        last = max((end for _, end in ends), default=None)
        files = (str(self._path), *map(str, self._file.files()))
        return About(entries, first, last, 1.0, "Y", 1.0, None, files, tuple(notes))

    def _in_order(self) -> list[int]:
        return sorted(range(len(self._nodes)), key=lambda number: self._paths[number])

    def _entry(self, number: int) -> Entry:
        node, path = self._nodes[number], self._paths[number]
        if "mesh" in node:
            body = self._body(number)
            count = len(body.welded.points) if body is not None else 0
            moves = self._deforms(number)
            return Entry(path, "mesh", count, moves, "" if count else "it has no faces", ("points",) if moves else ())
        if "camera" in node:
            return Entry(path, "camera", 0, self._placed_over_time(number))
        return Entry(path, "transform", 0, self._placed_over_time(number))

    def _body(self, number: int) -> _Body | None:
        """A node's mesh in its own space; None where it has no faces."""
        mesh = int(self._nodes[number]["mesh"])
        if mesh not in self._bodies:
            about = self._file.json["meshes"][mesh]
            notes: set[str] = set()
            made = [
                (primitive_part(self._file, item, self._paths[number], np.eye(4), notes), item)
                for item in about["primitives"]
            ]
            there = [(part, item) for part, item in made if part is not None]
            self._bodies[mesh] = None
            if there:
                whole = body_of(self._file, there, self._paths[number].rsplit("/", 1)[-1])
                self._bodies[mesh] = _Body(there, *welded(whole, self._telling(there)))
        return self._bodies[mesh]

    def _telling(self, primitives: list[tuple[Part, dict[str, Any]]]) -> list[NDArray[Any]]:
        """What moves points apart although they are in one place at rest: joints, weights and morph targets."""
        rows = []
        most = max(len(item.get("targets", ())) for _, item in primitives)
        for part, item in primitives:
            named, none = item["attributes"], np.zeros((len(part.points), 4), np.float32)
            skin = [self._values(named.get(key), none) for key in ("JOINTS_0", "WEIGHTS_0", "JOINTS_1", "WEIGHTS_1")]
            targets = [target.get("POSITION") for target in item.get("targets", ())]
            shapes = [self._values(found, none[:, :3]) for found in (*targets, *[None] * (most - len(targets)))]
            rows.append(np.concatenate([*skin, *shapes], axis=1))
        return [np.concatenate(rows)]

    def _values(self, accessor: int | None, otherwise: NDArray[np.float32]) -> NDArray[np.float32]:
        """Values of points, or others where there are none that fit."""
        found = otherwise if accessor is None else self._file.accessor(int(accessor)).astype(np.float32)
        return found if found.shape == otherwise.shape else otherwise

    def _deforms(self, number: int) -> bool:
        if (number, "weights") in self._tracks:
            return True
        skin = self._nodes[number].get("skin")
        return skin is not None and any(map(self._placed_over_time, self._joints(int(skin))))

    def _placed_over_time(self, number: int) -> bool:
        ways = ("translation", "rotation", "scale")
        return any((step, way) in self._tracks for step in self._way_up(number) for way in ways)

    def _joints(self, skin: int) -> list[int]:
        return [int(joint) for joint in self._file.json["skins"][skin]["joints"]]

    def sampled(self, path: str, time: float, space: Space) -> Sampled:
        try:
            return self._sampled(self._number(path), time, space)
        except _BROKEN as error:
            raise _told(error) from None

    def _sampled(self, number: int, time: float, space: Space) -> Sampled:
        body = self._body(number)
        if body is None:
            raise ExchangeError("it has no faces")
        points = np.concatenate([self._morphed(number, part, item, time) for part, item in body.primitives])
        if "skin" in self._nodes[number]:
            points = self._skinned(number, points, [item for _, item in body.primitives], time)
        points, part = points[body.kept], body.welded
        still: Arrays = {"corners": part.corners.astype(np.int32), "sizes": part.sizes.astype(np.int32)}
        for (domain, name), values in part.attributes.items():
            still[f"{Domain(domain).value} {name}"] = np.ascontiguousarray(values)
        moving: Arrays = {}
        (moving if self._deforms(number) else still)["points"] = space.points(points)
        return Sampled(still, moving)

    def _morphed(self, number: int, part: Part, item: dict[str, Any], time: float) -> NDArray[np.float64]:
        targets = item.get("targets", [])
        points: NDArray[np.float64] = np.asarray(part.points, np.float64)
        if not targets:
            return points
        track = self._tracks.get((number, "weights"))
        mesh = self._file.json["meshes"][int(self._nodes[number]["mesh"])]
        held = self._nodes[number].get("weights", mesh.get("weights", [0.0] * len(targets)))
        weights = track.at(time, False) if track is not None else np.asarray(held, np.float64)
        for weight, target in zip(weights, targets, strict=False):
            if "POSITION" in target and weight:
                points = points + float(weight) * self._file.accessor(target["POSITION"]).astype(np.float64)
        return points

    def _skinned(
        self, number: int, points: NDArray[np.float64], items: list[dict[str, Any]], time: float
    ) -> NDArray[np.float64]:
        """Points moved by their joints, as seen from the node: what stands above it does not count."""
        skin = self._file.json["skins"][int(self._nodes[number]["skin"])]
        joints = self._joints(int(self._nodes[number]["skin"]))
        binds = np.tile(np.eye(4), (len(joints), 1, 1))
        if "inverseBindMatrices" in skin:
            stored = self._file.accessor(int(skin["inverseBindMatrices"])).astype(np.float64)
            binds = stored.reshape(-1, 4, 4).transpose(0, 2, 1)
        if len(binds) < len(joints):
            raise ExchangeError("a skin has more joints than bind matrices")
        home = np.linalg.inv(self._world(number, time))
        moves = np.stack([home @ self._world(joint, time) @ bind for joint, bind in zip(joints, binds, strict=False)])
        made = np.zeros_like(points)
        start = 0
        for item in items:
            named = item["attributes"]
            count = self._file.accessor(named["POSITION"]).shape[0]
            own = np.concatenate([points[start : start + count], np.ones((count, 1))], axis=1)
            for suffix in ("_0", "_1"):
                if f"JOINTS{suffix}" not in named:
                    continue
                index = self._file.accessor(named[f"JOINTS{suffix}"]).astype(np.int64)
                weight = self._file.accessor(named[f"WEIGHTS{suffix}"]).astype(np.float64)
                if len(index) != count or (index >= len(joints)).any():
                    raise ExchangeError("a point is bound to a joint that does not exist")
                for column in range(index.shape[1]):
                    placed = np.einsum("nij,nj->ni", moves[index[:, column], :3], own)
                    made[start : start + count] += weight[:, column, None] * placed
            start += count
        return made

    def matrix(self, path: str, time: float) -> tuple[NDArray[np.float64], bool]:
        number = self._number(path)
        return self._world(number, time), self._placed_over_time(number)

    def _world(self, number: int, time: float) -> NDArray[np.float64]:
        made = np.eye(4)
        for step in self._way_up(number):
            made = self._local(step, time) @ made
        return made

    def _local(self, number: int, time: float) -> NDArray[np.float64]:
        node = dict(self._nodes[number])
        for way in ("translation", "rotation", "scale"):
            track = self._tracks.get((number, way))
            if track is not None:
                node.pop("matrix", None)
                node[way] = track.at(time, way == "rotation").tolist()
        return node_matrix(node)

    def lens(self, path: str, time: float) -> Lens:
        del time
        try:
            about = self._file.json["cameras"][int(self._nodes[self._number(path)]["camera"])]
            if about["type"] != "perspective":
                raise ExchangeError("the camera has no lens: only perspective ones can be looked through")
            lens = about["perspective"]
            angle = float(np.degrees(lens["yfov"]))
            far = float(lens.get("zfar", 1e9))
            if not 0 < angle < 180:
                raise ExchangeError("the camera has no lens: its angle must be over 0 and under 180 degrees")
            return Lens(angle, float(lens.get("aspectRatio", 0.0)), (0.0, 0.0), (float(lens["znear"]), far))
        except _BROKEN as error:
            raise _told(error) from None

    def _number(self, path: str) -> int:
        if path not in self._numbers:
            raise ExchangeError(f"there is no node {clean_name(path)}")
        return self._numbers[path]


def _told(error: Exception) -> ExchangeError:
    if isinstance(error, ExchangeError):
        return error
    return ExchangeError(f"damaged or not a glTF file ({type(error).__name__}: {error})")


register_stage((".gltf", ".glb"), GltfStage)
