"""Copies, pieces and strands: carried, cut, scattered and drawn, each against a peer or a memory copy of what it must move."""

import statistics
import time
from collections.abc import Iterator
from importlib import resources

import igl
import manifold3d
import moderngl
import numpy as np
from scipy.spatial import Voronoi

from bench.bare import drawn
from bench.figures import KEPT, Figure, fill, in_turn, keeping, milliseconds
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Range, Route, Scene, Shape, Transform
from estompe.effects.rotate import Rotate
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.planning.dependencies import dependencies_of
from estompe.falloffs.distance import Distance
from estompe.falloffs.ramp import pieces as ramp_pieces
from estompe.geometry import Geometry, frozen
from estompe.geometry.carrying import Apply, Carries, carried
from estompe.geometry.copies import Copies
from estompe.geometry.fracture.cutting import Cut, cut_into_cells
from estompe.geometry.geometry import Domain
from estompe.geometry.pieces import Pieces, even_ranks
from estompe.geometry.topology import Topology
from estompe.geometry.transforms import inverse
from estompe.kernels import deform, displace, distance, ramp
from estompe.kernels.pieces import arms, followed
from estompe.kernels.scatter import areas_of, candidates, ranked
from estompe.render import Item, Look, Renderer, Viewpoint
from estompe.render.matrices import matrices_of
from estompe.render.programs import set_matrices
from estompe.samples import sample
from estompe.shapes import primitives
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid

_SIZE = (1280, 800)
_MOVING = Look("shaded", still=False)


def figures() -> Iterator[Figure]:
    """All of them."""
    yield from _fractures()
    yield _scattered()
    yield from _carried()
    yield _evaluated()
    yield from _pictures()
    yield _picked()
    yield _faces()
    yield _strands()
    yield from _told()


def _body(around: int, across: int) -> tuple[np.ndarray, np.ndarray]:
    """A knotty closed ring."""
    u, v = np.meshgrid(np.arange(around) / around * 2 * np.pi, np.arange(across) / across * 2 * np.pi, indexing="ij")
    r = 0.35 + 0.06 * np.sin(6 * u + 3 * v)
    points = np.stack(
        [(1 + r * np.cos(v)) * np.cos(u), (1 + r * np.cos(v)) * np.sin(u), r * np.sin(v) + 0.2 * np.sin(3 * u)], axis=-1
    ).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = i * across + j, (i + 1) % around * across + j
    c, d = (i + 1) % around * across + (j + 1) % across, i * across + (j + 1) % across
    quads = np.stack([a, b, c, d], axis=-1).reshape(-1, 4)
    return points, np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.int32)


def _inside(points: np.ndarray, faces: np.ndarray, count: int) -> np.ndarray:
    rng = np.random.default_rng(0)
    low, high = points.min(axis=0), points.max(axis=0)
    tried = low + (high - low) * rng.random((count * 8, 3))
    winding = igl.fast_winding_number(points, faces.astype(np.int64), tried)
    return np.ascontiguousarray(tried[winding > 0.5][:count])


class _Peer:
    """Cells cut by another library's booleans: hulls of cells alone where no surface is, boxes of many cells first elsewhere."""

    def __init__(self, points: np.ndarray, faces: np.ndarray, seeds: np.ndarray) -> None:
        self.points, self.faces, self.seeds = points, faces, seeds

    def cells(self) -> list[np.ndarray]:
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        far = np.array(
            [(i, j, k) for i in (-1, 0, 1) for j in (-1, 0, 1) for k in (-1, 0, 1) if (i, j, k) != (0, 0, 0)], float
        )
        made = Voronoi(np.vstack([self.seeds, far * (high - low).max() * 12 + (low + high) / 2]))
        return [made.vertices[made.regions[made.point_region[i]]] for i in range(len(self.seeds))]

    def body(self) -> manifold3d.Manifold:
        return manifold3d.Manifold(manifold3d.Mesh64(self.points, self.faces.astype(np.uint64)))

    def one_by_one(self) -> np.ndarray:
        body = self.body()
        return np.array([(body ^ manifold3d.Manifold.hull_points(cell)).volume() for cell in self.cells()])

    def arranged(self, inner: np.ndarray) -> np.ndarray:
        """inner: bool (cells,), which have no part of the surface."""
        cells = self.cells()
        out = np.zeros(len(cells))
        for k in np.flatnonzero(inner):
            out[k] = manifold3d.Manifold.hull_points(cells[k]).volume()
        self._split(self.body(), np.flatnonzero(~inner), cells, out)
        return out

    def _split(self, body: manifold3d.Manifold, which: np.ndarray, cells: list[np.ndarray], out: np.ndarray) -> None:
        if len(which) <= 2:
            for k in which:
                out[k] = (body ^ manifold3d.Manifold.hull_points(cells[k])).volume()
            return
        places = self.seeds[which]
        axis = int(np.argmax(np.ptp(places, axis=0)))
        order = which[np.argsort(places[:, axis])]
        for half in (order[: len(order) // 2], order[len(order) // 2 :]):
            corners = np.concatenate([cells[k] for k in half])
            low, high = corners.min(axis=0), corners.max(axis=0)
            box = manifold3d.Manifold.cube(tuple(high - low)).translate(tuple(low))
            self._split(body ^ box, half, cells, out)


def _fractures() -> Iterator[Figure]:
    yield from _fracture((250, 100), 2000, 20.0)
    yield from _fracture((100, 40), 300, 25.0)


def _fracture(size: tuple[int, int], count: int, bar: float) -> Iterator[Figure]:
    points, faces = _body(*size)
    seeds = _inside(points, faces, count)
    peer = _Peer(points, faces, seeds)
    cut = cut_into_cells(points, faces, seeds)
    skin = np.zeros(count, np.bool_)
    owners = np.repeat(cut.seeds, np.diff(cut.starts))
    skin[owners[cut.source >= 0]] = True
    arranged = count == 2000

    def theirs() -> np.ndarray:
        return peer.arranged(~skin) if arranged else peer.one_by_one()

    volumes = theirs()
    mine = statistics.median(milliseconds(lambda: cut_into_cells(points, faces, seeds)) for _ in range(5))
    how = "arranged as well as can be" if arranged else "cell by cell"
    name = f"fracture, {len(faces):,} triangles in {count:,} cells, to manifold3d {how}"
    yield Figure(name, mine, milliseconds(theirs), bar, "at least")
    # Seeds are moved by a millionth of their spacing first: the peer gets the moved ones for this.
    yield _volumes(points, faces, seeds, cut, volumes)


def _volumes(points: np.ndarray, faces: np.ndarray, seeds: np.ndarray, cut: Cut, volumes: np.ndarray) -> Figure:
    spacing = float(np.prod(np.ptp(points, axis=0)) / len(seeds)) ** (1 / 3)
    step = 1e-6 * spacing
    moved = seeds + np.random.default_rng(1).uniform(-step, step, seeds.shape)
    chosen = np.random.default_rng(3).choice(len(seeds), min(len(seeds), 300), replace=False)
    peer = _Peer(points, faces, moved)
    body, cells = peer.body(), peer.cells()
    exact = np.array([(body ^ manifold3d.Manifold.hull_points(cells[k])).volume() for k in chosen])
    own = np.zeros(len(seeds))
    own[cut.seeds] = cut.volumes
    error = float(np.abs(own[chosen] - exact).max() / volumes.mean())
    name = f"largest error of a piece's volume of {len(seeds):,} cells, of the mean; open pieces: {cut.open}"
    return Figure(name, error, 1e-10, 1.0, "within", "")


def _scattered() -> Figure:
    points, faces = _body(250, 100)
    count = 20_000
    areas = areas_of(points, faces)
    area = float(areas.sum())
    surface = points.astype(np.float32)

    def ours() -> object:
        _, _, places = candidates(surface, faces, np.cumsum(areas_of(points, faces)), 24 * count + 64, 1)
        return ranked(places, area, 2, count, 0.0)

    radius = 0.7 * np.sqrt(2 * area / (np.sqrt(3) * count))
    mine, theirs = in_turn(ours, lambda: igl.blue_noise(points, faces.astype(np.int64), radius), 3)
    name = f"scatter of {count:,} on {len(faces):,} triangles, to libigl blue noise"
    return Figure(name, mine, theirs, 10.0, "at least")


def _carried() -> Iterator[Figure]:
    points, count = 1_000_000, 2000
    of = frozen(np.repeat(np.arange(count, dtype=np.int32), points // count))
    ids = np.arange(count)
    rng = np.random.default_rng(1)
    topology = Topology(
        np.arange(points - points % 3, dtype=np.int32), np.arange(0, points, 3, dtype=np.int32)[: points // 3 + 1], points,
        Pieces(of, ids, even_ranks(ids), "cell"),
    )  # fmt: skip
    mesh = Geometry(rng.uniform(-1, 1, (points, 3)).astype(np.float32), topology)
    mesh.normals  # noqa: B018
    strength = frozen(np.linspace(0.1, 1, count, dtype=np.float32))
    turn = _turn(0.7)
    block = np.ones(points * 7, np.float32)

    def ours() -> tuple[np.ndarray, ...]:
        made = carried(mesh, Domain.PIECE, False, "rotation", strength, turn)
        return made.points, made.normals

    mine, theirs = in_turn(keeping(ours), keeping(lambda: (block.copy(),)), 15)
    yield Figure("1M points in 2,000 pieces rotated, to a copy of 28 bytes a point", mine, theirs, 2.0, "within")
    copies = _copies(100_000, primitives.box((0.1, 0.1, 0.1), 1))
    strength = frozen(np.linspace(0.1, 1, 100_000, dtype=np.float32))
    block = np.ones(100_000 * 25, np.float32)
    vector = np.array([0.1, 0.2, 0.3], np.float32)
    for name, carries, apply, bar in (
        ("moved", "position", lambda mesh, own: displace.displace_by(mesh.points, own, vector), 1.0),
        ("rotated", "rotation", turn, 6.0),
    ):

        def ours(carries: Carries = carries, apply: Apply = apply) -> tuple[np.ndarray, ...]:
            made = carried(copies, Domain.PIECE, False, carries, strength, apply)
            assert isinstance(made, Copies)
            return made.positions, made.axes

        mine, theirs = in_turn(keeping(ours), keeping(lambda: (block.copy(),)), 15)
        yield Figure(f"100,000 copies {name}, to a copy of 100 bytes a copy", mine, theirs, bar, "within")


def _turn(angle: float):  # type: ignore[no-untyped-def]
    same = np.eye(4)[:3]
    return lambda mesh, own: deform.deform(mesh.points, own, deform.Deformation.ROTATE, same, same, [angle])


def _copies(count: int, form: Geometry, size: float = 3.0) -> Copies:
    rng = np.random.default_rng(1)
    ids = np.arange(count)
    turned = np.linalg.qr(rng.normal(size=(count, 3, 3)))[0]
    turned *= np.sign(np.linalg.det(turned))[:, None, None]
    return Copies(
        (form,), np.zeros(count, np.int32), rng.uniform(-size, size, (count, 3)).astype(np.float32),
        turned.reshape(-1, 9).astype(np.float32), np.full((count, 3), 0.5, np.float32), ids, even_ranks(ids),
    )  # fmt: skip


def _evaluated() -> Figure:
    """A distance and a rotation of 100 000 copies, evaluated, and the same kernels by hand."""
    box = Shape("box", "Box", Box(0.01, 0.01, 0.01, 1), visible=False)
    slot = EffectSlot("turn", Rotate(60.0), (Route("near"),), acts_on="pieces")
    tiles = Shape(
        "tiles", "Tiles", CopiesOnGrid(form="box", columns=400, rows=250, size=(8.0, 0.0, 5.0)), effects=(slot,)
    )
    falloff = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.2, 6.0))
    project = Project(Scene((box, tiles), (Control("lamp", "Lamp"),), (falloff,)))
    memo = Memo(KEPT)
    copies = evaluate(project, 1, Memo())["tiles"]
    assert isinstance(copies, Copies)
    places, knots = iter(np.linspace(0, 1, 10_000)), ramp_pieces(falloff.ramp)
    own = evaluate(edits_without(project), 1)["tiles"]
    assert isinstance(own, Copies)
    low, high = own.positions.min(axis=0), own.positions.max(axis=0)
    length = 0.02 * float(np.linalg.norm(high - low))

    due: list[Project] = []

    def edit() -> None:
        moved = edits.put(project.scene, ("controls", "lamp", "transform", "position"), (float(next(places)), 0.0, 0.0))
        due.append(project.with_scene(moved))
        # What is found out once about a scene that was edited is not timed: whoever plays frames does not edit.
        dependencies_of(due[-1].scene)

    def ours() -> object:
        return evaluate(due.pop(), 1, memo)

    def both() -> None:
        edit()
        ours()

    same = np.eye(4)[:3]

    def bare() -> tuple[np.ndarray, ...]:
        values = distance.distance(own.positions, inverse(same).astype(np.float32), distance.Form.SPHERE)
        strength = ramp.remap(values, 0.2, 6.0, *knots, True)
        ends = arms(own.positions, own.axes, length)
        went = deform.deform(ends, np.tile(strength, 4), deform.Deformation.ROTATE, same, same, [np.radians(60.0)])
        return values, strength, *followed(went, own.positions, own.axes, strength, length, resized=False, own=False)

    fill(memo, both)
    mine, theirs = in_turn(ours, keeping(bare), 31, edit, of_ours=True)
    return Figure(
        "100,000 copies, a distance and a rotation, evaluated, to its bare kernels", mine, theirs, 1.15, "within"
    )


def edits_without(project: Project) -> Project:
    """The project with its tiles unmoved."""
    return project.with_scene(edits.put(project.scene, ("shapes", "tiles", "effects"), ()))


class _BareMesh:
    """One mesh in buffers of its own, drawn with the same shaders and nothing else."""

    def __init__(self, mesh: Geometry, viewpoint: Viewpoint) -> None:
        context = self._context = moderngl.create_standalone_context(backend="egl")
        folder = resources.files("estompe.render") / "shaders"
        self._program = context.program(
            vertex_shader=(folder / "surface.vert").read_text(), fragment_shader=(folder / "surface.frag").read_text()
        )
        content = [(context.buffer(mesh.points), "3f", "position"), (context.buffer(mesh.normals), "3f", "normal")]
        self._array = context.vertex_array(self._program, content, context.buffer(mesh.topology.triangles))
        self._target = context.framebuffer([context.renderbuffer(_SIZE, 4)], context.depth_renderbuffer(_SIZE))
        set_matrices(self._program, *matrices_of(viewpoint, _SIZE, [Item("mesh", mesh, (0.8, 0.7, 0.6))]))
        self._program["base_color"].value = (0.8, 0.7, 0.6)

    def draw(self) -> object:
        with self._context:
            return drawn(self._context, self._target, self._array, _SIZE)


def _drawn(renderer: Renderer, items: list[Item], viewpoint: Viewpoint) -> object:
    """A picture, with the renderer's own context current: others are at work in the same thread."""
    with renderer._context:
        return renderer.draw(items, viewpoint, _MOVING, _SIZE)


def _pictures() -> Iterator[Figure]:
    viewpoint = Viewpoint((0.4, 0.9, 11.0), (0, 0, 0), 40.0)
    copies = _copies(10_000, primitives.box((0.2, 0.2, 0.2), 2))
    real = Geometry(copies.points, copies.topology, {}, copies.at_rest)
    bare, renderer = _BareMesh(real, viewpoint), Renderer()
    closed = [Item("a", copies, (0.8, 0.7, 0.6))]
    backed = copies.with_attribute(Domain.PIECE, "back_color", np.full((10_000, 3), 0.5, np.float32))
    for items, bar, how in (([Item("b", backed, (0.8, 0.7, 0.6))], 1.1, "both sides"), (closed, 0.6, "backs culled")):
        mine, theirs = in_turn(lambda items=items: _drawn(renderer, items, viewpoint), bare.draw, 7, of_ours=True)
        name = f"a picture of 10,000 copies of 48 triangles, {how}, to a bare draw as one mesh"
        yield Figure(name, mine, theirs, bar, "within")


def _picked() -> Figure:
    viewpoint = Viewpoint((0.4, 0.9, 11.0), (0, 0, 0), 40.0)
    copies = _copies(100_000, primitives.box((0.1, 0.1, 0.1), 1))
    items, renderer = [Item("a", copies, (0.8, 0.7, 0.6))], Renderer()
    at = iter(range(100, 100_000))
    mine, theirs = in_turn(
        lambda: renderer.pick(items, viewpoint, _SIZE, 300 + next(at) % 600, 400),
        lambda: renderer.draw(items, viewpoint, _MOVING, _SIZE),
        9,
        of_ours=True,
    )
    renderer.release()
    return Figure("picking among 100,000 copies, to drawing them", mine, theirs, 0.02, "within")


def _faces() -> Figure:
    viewpoint, sphere = Viewpoint((0, 0.4, 4.2), (0, 0, 0)), primitives.sphere(1.0, 130)
    renderer = Renderer()

    def state(count: int, amount: float) -> Item:
        values = frozen(np.linspace(0, 1, count, dtype=np.float32) * np.float32(1 - amount))
        return Item("a", sphere, (0.8, 0.8, 0.7), values, values)

    faces, points = (
        [state(count, amount) for amount in (0.0, 0.1)] for count in (sphere.topology.faces, len(sphere.points))
    )
    turns = iter(range(100_000))

    def drawn(items: list[Item]) -> object:
        return renderer.draw([items[next(turns) // 2 % 2]], viewpoint, Look("strength", still=False), _SIZE)

    mine, theirs = in_turn(lambda: drawn(faces), lambda: drawn(points), 15, of_ours=True)
    renderer.release()
    return Figure("a picture of values on faces, to one of values on points", mine, theirs, 1.4, "within")


def _strands() -> Figure:
    project = sample("signal-arcs").build()
    grass = next(shape for shape in project.scene.shapes if shape.id == "grass")
    source = edits.put(edits.put(grass.source, ("points",), 64), ("roots",), 1000)
    shape = Shape("grass", "Grass", source, Transform())
    deck = next(shape for shape in project.scene.shapes if shape.id == "deck")
    mesh = evaluate(Project(Scene((deck, shape), camera=project.scene.camera)), 5)["grass"]
    viewpoint = Viewpoint.of_camera(project.scene.camera)
    renderer, bare = Renderer(), _BareMesh(mesh, viewpoint)
    items = [Item("a", mesh, (0.8, 0.7, 0.6))]
    mine, theirs = in_turn(lambda: _drawn(renderer, items, viewpoint), bare.draw, 15, of_ours=True)
    return Figure("a picture of 1000 x 64 strands as ribbons, to a bare draw", mine, theirs, 1.15, "within")


def _told() -> Iterator[Figure]:
    project, memo, renderer = sample("plankton").build(), Memo(), Renderer()
    viewpoint = Viewpoint.of_camera(project.scene.camera)
    number, spent = 0, 100_000
    began = time.perf_counter()
    while number < 96:
        if number == 24:
            began = time.perf_counter()  # by then it has found how much can be drawn, as the view does
        frame = evaluate(project, 1 + number % 96, memo)
        items = [Item("plankton", frame["plankton"], (0.4, 0.5, 0.5))]
        look = Look("shaded", still=False, stand_ins=spent)
        took = milliseconds(lambda items=items, look=look: renderer.draw(items, viewpoint, look, _SIZE))
        spent = int(np.clip(spent * np.clip(35.0 / took, 0.5, 1.5), 4_000, 2_000_000))
        number += 1
    rate = 72 / (time.perf_counter() - began)
    triangles = len(frame["plankton"].forms[0].topology.triangles)  # type: ignore[attr-defined]
    yield Figure(
        f"8,120 copies of {triangles} triangles, played, nothing cached ({renderer.stood_in:,} simplified)",
        rate,
        0,
        0,
        "told",
        "pictures/s",
    )
    copies = frame["plankton"]
    assert isinstance(copies, Copies)
    own = sum(array.nbytes for array in (copies.positions, copies.axes, copies.scales, copies.shown))
    yield Figure("memory of a state, a copy (at most 64)", own / len(copies.positions), 0, 0, "told", "B")
    renderer.release()
