"""Effects on volumes: closed forms in scene units, what follows from the first surface, what is said when something is wrong."""

import numpy as np
import pytest
from tests.counting import CountingMemo
from tests.scenes import LINEAR

from estompe.analysis.slices import slice_of, solid_in
from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape, Transform
from estompe.effects.coat import Coat
from estompe.effects.color import Color
from estompe.effects.grow import Grow
from estompe.effects.grow_by_steps import GrowBySteps
from estompe.effects.merge import Merge
from estompe.effects.push import Push
from estompe.effects.round import Round
from estompe.effects.subdivide import Subdivide
from estompe.effects.thicken import Thicken
from estompe.effects.weather import Weather
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.falloffs.height import Height
from estompe.falloffs.image import Image  # noqa: F401 - registers with the others
from estompe.falloffs.noise import Noise
from estompe.falloffs.random import Random
from estompe.falloffs.slope import Slope
from estompe.geometry import Domain, Geometry
from estompe.geometry.topology import Topology
from estompe.geometry.transforms import transform_matrix
from estompe.geometry.volumes.closed_quads import ClosedQuads
from estompe.geometry.volumes.solid import NEW, automatic_size, frame_of, solid_of, surface_of, voxels_told
from estompe.geometry.volumes.volume import volume
from estompe.shapes import primitives
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere

pytestmark = pytest.mark.thorough

_BULGING = (RampPoint(0.0, 1.0), RampPoint(0.5, 0.86), RampPoint(0.8, 0.6), RampPoint(1.0, 0.0))


def _scene(*effects, source=None, others=(), falloffs=(), controls=(), place=None, color=(0.8, 0.2, 0.1)):
    shape = Shape("body", "Body", source or Sphere(0.5, 24), place or Transform(), tuple(effects), color=color)
    return Project(Scene((shape, *others), controls, falloffs))


def _made(project, frame=1, problems=()):
    found = evaluate(project, frame)
    assert [item.text for item in found.problems] == list(problems)
    return found["body"]


def _problem(project):
    (found,) = evaluate(project, 1).problems
    return found.text


def _slot(effect, *falloffs, name="one"):
    return EffectSlot(name, effect, tuple(Route(item) for item in falloffs))


def _other(x, radius=0.4, name="other", color=(0.1, 0.3, 0.8)):
    return Shape(name, name.capitalize(), Sphere(radius, 24), Transform((x, 0.0, 0.0)), color=color)


def _enclosed(mesh):
    assert mesh.topology.closed
    return volume(mesh.points, mesh.topology.triangles)


def _euler(mesh):
    return len(np.unique(mesh.topology.corners)) - len(mesh.topology.edges) + mesh.topology.faces


def _cap(radius, height):
    return np.pi * height**2 * (3 * radius - height) / 3


def _lens(a, b, apart):
    """The volume that two balls have in common."""
    on_a = (apart**2 + a**2 - b**2) / (2 * apart)
    return _cap(a, a - on_a) + _cap(b, b - (apart - on_a))


_BALL, _OTHER, _APART = 0.5, 0.4, 0.6
_TWO = 4 / 3 * np.pi * _BALL**3, 4 / 3 * np.pi * _OTHER**3


# Merge


@pytest.mark.parametrize(
    ("way", "exact"),
    [
        ("add", _TWO[0] + _TWO[1] - _lens(_BALL, _OTHER, _APART)),
        ("take away", _TWO[0] - _lens(_BALL, _OTHER, _APART)),
        ("common", _lens(_BALL, _OTHER, _APART)),
    ],
)
def test_two_balls_become_one_closed_surface_of_the_exact_volume(way, exact):
    mesh = _made(_scene(_slot(Merge(("other",), way, voxel=0.012)), others=(_other(_APART),)))
    assert _enclosed(mesh) == pytest.approx(exact, rel=0.012)
    assert _euler(mesh) == 2
    # No point lies well inside of what is enclosed: inner walls are gone.
    away = np.linalg.norm(mesh.points, axis=1) - _BALL, np.linalg.norm(mesh.points - [_APART, 0, 0], axis=1) - _OTHER
    inside = {"add": np.minimum(*away), "take away": np.maximum(away[0], -away[1]), "common": np.maximum(*away)}[way]
    assert np.abs(inside).max() < 0.012


def test_a_joint_is_a_fillet_of_its_radius():
    sharp = _scene(_slot(Merge(("other",), voxel=0.012)), others=(_other(_APART),))
    soft = _scene(_slot(Merge(("other",), joint=0.1, voxel=0.012)), others=(_other(_APART),))
    one, other = _made(sharp), _made(soft)
    assert _enclosed(other) > _enclosed(one)
    d = np.stack(
        [np.linalg.norm(other.points, axis=1) - _BALL, np.linalg.norm(other.points - [_APART, 0, 0], axis=1) - _OTHER]
    )
    fillet = np.maximum(0.1, d.min(axis=0)) - np.sqrt((np.maximum(0.1 - d, 0) ** 2).sum(axis=0))
    assert np.abs(fillet).max() < 0.02
    far = other.points[:, 0] < -0.2
    assert np.abs(np.linalg.norm(other.points[far], axis=1) - _BALL).max() < 0.006


def test_a_falloff_says_how_soft_the_joint_is():
    up = Falloff("up", "Up", (Layer("height", Height()),), Range(0.5, 0.5001))
    soft = _made(
        _scene(_slot(Merge(("other",), joint=0.1, voxel=0.015), "up"), others=(_other(_APART),), falloffs=(up,))
    )
    d = np.stack(
        [np.linalg.norm(soft.points, axis=1) - _BALL, np.linalg.norm(soft.points - [_APART, 0, 0], axis=1) - _OTHER]
    )
    swollen = d.min(axis=0) > 0.012
    assert swollen.any()
    assert (soft.points[swollen, 1] > -0.05).all() or (soft.points[swollen, 1] < 0.05).all()


def test_a_shape_s_own_overlapping_parts_are_joined_and_moving_one_shape_keeps_the_others():
    parts = [primitives.sphere(0.3, 16), primitives.sphere(0.3, 16)]
    points = np.concatenate([parts[0].points, parts[1].points + np.array([0.35, 0, 0], np.float32)])
    corners = np.concatenate([parts[0].topology.corners, parts[1].topology.corners + len(parts[0].points)])
    offsets = np.arange(0, len(corners) + 1, 4)
    both = Geometry.from_faces(points, corners, offsets)
    solid = solid_of(both, np.eye(4)[:3], 0.012)
    mesh = surface_of(solid)
    exact = 2 * 4 / 3 * np.pi * 0.3**3 - _lens(0.3, 0.3, 0.35)
    assert _enclosed(mesh) == pytest.approx(exact, rel=0.02)
    assert _euler(mesh) == 2
    memo = CountingMemo()
    project = _scene(_slot(Merge(("other",), voxel=0.02)), others=(_other(_APART),))
    evaluate(project, 1, memo)
    moved = edits.put(project.scene, ("shapes", "other", "transform"), Transform((0.61, 0, 0)))
    before = memo.computed["build"]
    assert evaluate(Project(moved), 1, memo)["body"].topology.closed
    assert memo.computed["build"] == before


def test_colours_of_all_shapes_follow_and_seams_do_not_smear():
    mesh = _made(_scene(_slot(Merge(("other",), voxel=0.02)), others=(_other(_APART),)))
    colors = mesh.attribute(Domain.POINT, "color")
    assert np.allclose(colors[mesh.points[:, 0] < -0.2], (0.8, 0.2, 0.1), atol=1e-5)
    assert np.allclose(colors[mesh.points[:, 0] > 0.8], (0.1, 0.3, 0.8), atol=1e-5)
    sheet = Geometry.from_faces(
        *(
            lambda box: (
                box.points,
                box.topology.corners,
                box.topology.offsets,
                {(Domain.CORNER, "uv"): _side_uvs(box)},
            )
        )(primitives.box((1.0, 1.0, 1.0), 2))
    )
    made = surface_of(solid_of(sheet, np.eye(4)[:3], 0.05))
    uv = made.attribute(Domain.CORNER, "uv").reshape(-1, 4, 2)
    # Each side has a range of its own: no quad mixes two of them.
    assert (np.floor(uv[:, :, 0].mean(axis=1) / 10) == np.floor(uv[:, 0, 0] / 10)).all()
    assert np.ptp(uv, axis=1).max() < 1.0


def _side_uvs(box):
    """UVs at corners: ten apart for each side of a box, its two other coordinates on it."""
    topology = box.topology
    normals = topology.face_normals(box.points)
    axis = np.argmax(np.abs(normals), axis=1)
    side = axis * 2 + (normals[np.arange(len(axis)), axis] > 0)
    face = topology.corner_faces
    points = box.points[topology.corners]
    first = points[np.arange(len(points)), (axis[face] + 1) % 3]
    second = points[np.arange(len(points)), (axis[face] + 2) % 3]
    return np.stack([side[face] * 10 + 5 + first, second], axis=1).astype(np.float32)


def test_attributes_are_exact_where_the_old_surface_is():
    ball = primitives.sphere(0.5, 24)
    ball = ball.with_attribute(Domain.POINT, "along", ball.points[:, 0].copy())
    upper = ball.points[:, 1] > 0
    ball = ball.with_attribute(Domain.POINT, "upper", upper)
    made = surface_of(solid_of(ball, np.eye(4)[:3], 0.02))
    assert np.abs(made.attribute(Domain.POINT, "along") - made.points[:, 0]).max() < 2e-3
    group = made.attribute(Domain.POINT, "upper")
    assert group.dtype == bool
    assert (group == (made.points[:, 1] > 0))[np.abs(made.points[:, 1]) > 0.03].all()
    assert np.abs(made.rest - made.points).max() < 2e-3
    assert not made.attribute(Domain.POINT, NEW).any()


# Weather


def test_weather_pushes_along_the_true_distance_in_any_number_of_steps():
    for steps in (1, 4):
        mesh = _made(_scene(_slot(Weather(0.12, steps, voxel=0.015))))
        assert np.abs(np.linalg.norm(mesh.points, axis=1) - 0.62).max() < 0.01
        worn = _made(_scene(_slot(Weather(-0.12, steps, voxel=0.015))))
        assert np.abs(np.linalg.norm(worn.points, axis=1) - 0.38).max() < 0.01


def test_weather_on_what_faces_up_leaves_the_rest_and_comes_out_closed():
    up = Falloff("up", "Up", (Layer("slope", Slope()),), Range(20.0, 60.0), LINEAR)
    grain = Falloff("grain", "Grain", (Layer("noise", Noise(1.0, 0.1, 2)),), Range(0.8, -0.8))
    slot = EffectSlot("one", Weather(0.15, 3, voxel=0.015), (Route("up"), Route("grain")))
    mesh = _made(_scene(slot, falloffs=(up, grain)))
    radii = np.linalg.norm(mesh.points, axis=1)
    assert mesh.topology.closed
    assert radii[mesh.points[:, 1] < 0.0].max() < 0.51
    assert 0.52 < radii.max() < 0.67
    new = mesh.attribute(Domain.POINT, NEW)
    assert new[radii > 0.53].all()
    assert not new[mesh.points[:, 1] < 0.0].any()


# Coat


def _coated(ramp, effect):
    near = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.0, 0.45), ramp)
    lamp = Control("lamp", "Lamp", transform=Transform((0.0, 0.5, 0.0)))
    return _made(_scene(_slot(effect, "near"), falloffs=(near,), controls=(lamp,)))


@pytest.mark.parametrize(("ramp", "voxels"), [(_BULGING, 1.0), (LINEAR, 2.0)])
@pytest.mark.parametrize("size", [0.016, 0.01])
def test_a_coat_is_gone_at_its_reach(ramp, voxels, size):
    mesh = _coated(ramp, Coat(0.06, smooth=0.0, voxel=size))
    layer = mesh.attribute(Domain.FACE, "coat")
    quads = mesh.topology.corners.reshape(-1, 4)[layer]
    sides = np.concatenate([quads[:, [k, (k + 1) % 4]] for k in range(4)])
    high = np.linalg.norm(mesh.points, axis=1) - 0.5
    a, b = high[sides[:, 0]], high[sides[:, 1]]
    through = (a < 0) != (b < 0)
    part = (a / np.where(a == b, 1.0, a - b))[through][:, None]
    ends = mesh.points[sides[:, 0]][through], mesh.points[sides[:, 1]][through]
    edge = ends[0] * (1 - part) + ends[1] * part
    off = 0.45 - np.linalg.norm(edge - [0, 0.5, 0], axis=1)
    assert np.abs(off.mean()) < voxels * size
    assert high.max() == pytest.approx(0.06, abs=0.01)


def test_the_original_stays_inside_a_coat_and_the_layer_has_its_own_colour_and_thickness():
    before = Sphere(0.5, 24).build({})
    mesh = _coated(_BULGING, Coat(0.06, voxel=0.015, color=(0.9, 0.9, 0.8)))
    count = len(before.points)
    assert np.array_equal(mesh.points[:count], before.points)
    layer = mesh.attribute(Domain.FACE, "coat")
    assert not layer[: before.topology.faces].any()
    assert layer[before.topology.faces :].all()
    colors = mesh.attribute(Domain.POINT, "color")
    assert np.allclose(colors[:count], (0.8, 0.2, 0.1))
    assert np.allclose(colors[count:], (0.9, 0.9, 0.8))
    thick = mesh.attribute(Domain.POINT, "thickness")
    assert thick[:count].max() == 0.0
    assert thick.max() == pytest.approx(0.06, abs=0.012)
    assert mesh.topology.closed


def test_a_coat_hangs_below_and_lies_on_both_sides_of_a_sheet():
    hung = _made(_scene(_slot(Coat(0.04, hanging=2.0, smooth=0.0, voxel=0.015))))
    high = np.linalg.norm(hung.points, axis=1) - 0.5
    assert high[hung.points[:, 1] < -0.5].max() == pytest.approx(0.12, abs=0.012)
    assert high[hung.points[:, 1] > 0.5].max() == pytest.approx(0.04, abs=0.012)
    sheet = _made(_scene(_slot(Coat(0.05, smooth=0.0, voxel=0.02)), source=Grid(1.0, 1.0, 8, 8)))
    layer = np.unique(sheet.topology.corners[sheet.topology.offsets[64] :])
    heights = sheet.points[layer, 1]
    assert heights.max() == pytest.approx(0.05, abs=0.012)
    assert heights.min() == pytest.approx(-0.05, abs=0.012)


# Grow


def test_growth_in_scene_units_does_not_depend_on_the_voxels():
    ways = []
    for size in (0.03, 0.02, 0.012):
        mesh = _made(_scene(_slot(Grow(0.2, voxel=size))))
        ways.append(
            np.linalg.norm(mesh.points, axis=1).mean() - np.linalg.norm(Sphere(0.5, 24).build({}).points, axis=1).mean()
        )
    assert np.allclose(ways, 0.2, atol=0.002)


def test_growth_scrubs_holds_and_runs_backwards_without_being_solved_again():
    project = _scene(_slot(Grow(0.2, grown=0.3, voxel=0.02)))
    memo, kept = CountingMemo(), {}
    for grown in (0.3, 1.0, 0.0, 0.3, 0.65):
        scene = edits.put(project.scene, ("shapes", "body", "effects", "one", "effect", "grown"), grown)
        mesh = evaluate(Project(scene), 1, memo)["body"]
        assert np.array_equal(kept.setdefault(grown, mesh.points), mesh.points)
        assert np.linalg.norm(mesh.points, axis=1).mean() == pytest.approx(0.4985 + 0.2 * grown, abs=0.004)
    assert memo.computed["prepare"] == 1
    assert memo.computed["places"] == 1
    assert _enclosed(_made(_scene(_slot(Grow(0.2, grown=0.7, voxel=0.02))))) > _enclosed(
        _made(_scene(_slot(Grow(0.2, grown=0.2, voxel=0.02))))
    )


def test_growth_goes_inwards_follows_its_speed_and_leaves_what_has_none():
    inwards = _made(_scene(_slot(Grow(0.2, "inwards", voxel=0.02))))
    assert np.abs(np.linalg.norm(inwards.points, axis=1) - 0.3).max() < 0.01
    right = Falloff("right", "Right", (Layer("height", Height("x")),), Range(0.6, 0.4), LINEAR)
    half = _made(_scene(_slot(Grow(0.2, voxel=0.02), "right"), falloffs=(right,)))
    radii = np.linalg.norm(half.points, axis=1)
    assert np.abs(radii[half.points[:, 0] < -0.2] - 0.5).max() < 0.006
    assert radii[half.points[:, 0] > 0.5].max() == pytest.approx(0.7, abs=0.01)


def test_colour_follows_the_way_it_grew():
    # Only a narrow spot grows freely: what has spread sideways from it keeps the colour of the spot.
    spot = Falloff("spot", "Spot", (Layer("reach", Distance("lamp")),), Range(0.10, 0.101), LINEAR)
    open_ = Falloff("open", "Open", (Layer("far", Distance("middle")),), Range(0.56, 0.53), LINEAR)
    lamp = Control("lamp", "Lamp", transform=Transform((0.0, 0.5, 0.0)))
    middle = Control("middle", "Middle")
    effects = (
        EffectSlot("stain", Color((0.0, 0.0, 1.0)), (Route("spot"),)),
        EffectSlot("one", Grow(0.35, voxel=0.02), (Route("spot"), Route("open", join="larger"))),
    )
    mesh = _made(_scene(*effects, falloffs=(spot, open_), controls=(lamp, middle), color=(1.0, 0.0, 0.0)))
    radii = np.linalg.norm(mesh.points, axis=1)
    aside = np.linalg.norm(mesh.points[:, [0, 2]], axis=1)
    spread = (radii > 0.6) & (aside > 0.15)
    assert spread.sum() > 20
    blue = mesh.attribute(Domain.POINT, "color")[spread, 2]
    assert np.median(blue) > 0.6
    nearest = edits.put(
        _scene(*effects, falloffs=(spot, open_), controls=(lamp, middle), color=(1.0, 0.0, 0.0)).scene,
        ("shapes", "body", "effects", "one", "effect", "follows"), "the nearest place",
    )  # fmt: skip
    red = _made(Project(nearest)).attribute(Domain.POINT, "color")[spread, 0]
    assert np.median(red) > 0.6


def test_smoothing_what_grew_never_eats_the_original_and_finer_has_four_times_the_faces():
    plain, smooth, fine = (
        _made(_scene(_slot(Grow(0.1, voxel=0.025, **more)), source=Box()))
        for more in ({}, {"smooth": 0.08}, {"finer": True})
    )
    assert _enclosed(smooth) < _enclosed(plain)
    assert np.abs(smooth.points).max(axis=1).min() > 0.47
    assert fine.topology.faces == pytest.approx(4 * plain.topology.faces, rel=0.1)
    assert _enclosed(fine) == pytest.approx(_enclosed(plain), rel=0.01)


def test_growth_by_steps_acts_as_its_falloff_is_on_each_frame():
    project = _scene(_slot(GrowBySteps(0.3, speed=0.24, voxel=0.02)))
    for frame, way in ((1, 0.0), (13, 0.12), (7, 0.06)):
        mesh = evaluate(project, frame)["body"]
        assert np.linalg.norm(mesh.points, axis=1).mean() == pytest.approx(0.4985 + way, abs=0.004)
    still = Falloff("never", "Never", (Layer("height", Height()),), Range(100.0, 90.0), LINEAR)
    rests = _scene(_slot(GrowBySteps(0.3, speed=0.24, voxel=0.02), "never"), falloffs=(still,))
    assert np.array_equal(evaluate(rests, 9)["body"].points, Sphere(0.5, 24).build({}).points)


# Round and Thicken


def test_rounding_a_box_takes_its_edges_and_can_keep_its_volume():
    box = _made(_scene(_slot(Round(0.08, voxel=0.02)), source=Box()))
    kept = _made(_scene(_slot(Round(0.08, keep_volume=True, voxel=0.02)), source=Box()))
    assert _enclosed(box) < 0.99
    assert _enclosed(kept) == pytest.approx(1.0, abs=0.02)
    corner = np.linalg.norm(box.points, axis=1).max()
    assert corner < np.sqrt(0.75) - 0.04
    half = Falloff("half", "Half", (Layer("height", Height("x")),), Range(0.5, 0.4999), LINEAR)
    one_side = _made(_scene(_slot(Round(0.08, voxel=0.02), "half"), source=Box(), falloffs=(half,)))
    far = np.linalg.norm(one_side.points, axis=1)
    assert far[one_side.points[:, 0] < 0].max() > np.sqrt(0.75) - 0.04
    assert far[one_side.points[:, 0] > 0].max() < np.sqrt(0.75) - 0.04


def test_thickening_makes_a_sheet_a_closed_body_and_a_ball_hollow():
    sheet = _made(_scene(_slot(Thicken(0.1, voxel=0.015)), source=Grid(1.0, 1.0, 8, 8)))
    # A slab, half a tube along each side, and a ball in quarters at the corners.
    exact = 0.1 + 4 * np.pi * 0.05**2 / 2 + 4 / 3 * np.pi * 0.05**3
    assert _enclosed(sheet) == pytest.approx(exact, rel=0.03)
    hollow = _made(_scene(_slot(Thicken(0.1, voxel=0.015))))
    assert _enclosed(hollow) == pytest.approx(4 / 3 * np.pi * (0.55**3 - 0.45**3), rel=0.03)


# What goes on after them


def test_neighbouring_effects_voxelize_once_and_everything_goes_on_after_them(monkeypatch):
    from estompe.geometry.volumes import solid as module

    calls = []
    plain = module._voxelized
    monkeypatch.setattr(module, "_voxelized", lambda *given: calls.append(1) or plain(*given))
    effects = (_slot(Round(0.04, voxel=0.025), name="a"), _slot(Weather(0.03, 1, voxel=0.025), name="b"),
               _slot(Grow(0.05, voxel=0.025), name="c"))  # fmt: skip
    mesh = _made(_scene(*effects))
    assert len(calls) == 1
    assert mesh.topology.closed
    noise = Falloff("n", "N", (Layer("l", Noise(1.0, 0.2, 2, space="rest")),), Range(0.5, -0.5))
    chance = Falloff("r", "R", (Layer("q", Random(3)),), Range(1.0, 0.0))
    after = (_slot(Push(0.05), "n", name="d"), _slot(Push(0.02), "r", name="e"), EffectSlot("f", Subdivide()))
    more = _made(_scene(*effects, *after, falloffs=(noise, chance)))
    assert len(more.points) > 3.9 * len(mesh.points)
    assert np.isfinite(more.points).all()


def test_random_numbers_stay_with_places_while_the_surface_grows():
    chance = Falloff("r", "R", (Layer("q", Random(3)),), Range(1.0, 0.0))
    frozen = {}
    for grown in (0.50, 0.51):
        project = _scene(_slot(Grow(0.1, grown=grown, voxel=0.04)), falloffs=(chance,))
        frame = evaluate(project, 1)
        ids = frame["body"].attribute(Domain.POINT, "id")
        frozen[grown] = dict(zip(ids.tolist(), frame.shown("body", "r").strength.tolist(), strict=True))
    shared = frozen[0.50].keys() & frozen[0.51].keys()
    assert len(shared) > 0.5 * len(frozen[0.50])
    assert all(frozen[0.50][item] == frozen[0.51][item] for item in shared)


def test_edges_of_closed_quads_are_those_that_sorting_finds():
    mesh = _made(_scene(_slot(Round(0.02, voxel=0.03))))
    topology = mesh.topology
    assert isinstance(topology, ClosedQuads)
    sorted_ = Topology(topology.corners, topology.offsets, topology.points)
    assert {tuple(pair) for pair in topology.edges.tolist()} == {tuple(pair) for pair in sorted_.edges.tolist()}
    ours, theirs = topology.neighbours, sorted_.neighbours
    assert np.array_equal(ours[0], theirs[0])
    for point in range(0, topology.points, 97):
        span = slice(ours[0][point], ours[0][point + 1])
        assert sorted(ours[1][span]) == sorted(theirs[1][span])
    mine, other = topology.triangle_edges, sorted_.triangle_edges
    pairs = np.unique(np.stack([mine.reshape(-1), other.reshape(-1)], axis=1), axis=0)
    assert len(pairs) == len(np.unique(mine)) == len(np.unique(other))


def test_a_moved_and_turned_shape_keeps_its_voxels():
    still = _made(_scene(_slot(Round(0.05, voxel=0.03)), source=Box()))
    place = Transform((1.37, -0.41, 0.23), (20.0, 35.0, -50.0))
    moved = _made(_scene(_slot(Round(0.05, voxel=0.03)), source=Box(), place=place))
    matrix = transform_matrix(place.position, place.rotation, place.scale)
    assert len(still.points) == len(moved.points)
    assert np.abs(still.points @ matrix[:, :3].T + matrix[:, 3] - moved.points).max() < 1e-4
    frame = frame_of(transform_matrix((1, 2, 3), (10, 20, 30), (2.0, 3.0, -1.0)))
    assert np.allclose(frame[:, :3] @ frame[:, :3].T, np.eye(3))
    assert np.linalg.det(frame[:, :3]) == pytest.approx(1.0)


def test_a_slice_shows_the_surface_and_even_distances_around_it():
    frame = evaluate(_scene(_slot(Round(0.01, voxel=0.02))), 1)
    found = slice_of(solid_in(frame, "body"), 2, 0.5)
    lines = {round(contour.distance / found.spacing): contour.segments for contour in found.contours}
    assert set(lines) == {-3, -2, -1, 0, 1, 2, 3}
    middle = lines[0][:, 0, 2].mean()
    for count, segments in lines.items():
        radii = np.linalg.norm(segments.reshape(-1, 3), axis=1)
        assert np.abs(radii - (0.5 + count * found.spacing)).max() < 0.01 + abs(middle)


# What is said


def test_voxels_are_advised_and_refused_in_words():
    mesh = _made(_scene(_slot(Round(0.05))))
    size, count = voxels_told(mesh)
    assert size == pytest.approx(1.0 / 128, rel=0.05)
    assert f"voxels of {size:.3g} m" in Round.summary(mesh)
    assert count > 0
    assert automatic_size(1.28, None) == pytest.approx(0.01)
    assert automatic_size(1.28, 0.024) == pytest.approx(0.008)
    fine = Falloff("n", "N", (Layer("l", Noise(1.0, 0.015, 1)),), Range(0.5, -0.5))
    finer = _made(_scene(_slot(Weather(0.02, 1), "n"), falloffs=(fine,)))
    assert voxels_told(finer)[0] < size
    words = _problem(_scene(_slot(Round(0.05, voxel=1e-4))))
    assert "more than 40 million" in words
    assert "use voxels of" in words
    assert "use voxels of" in _problem(_scene(_slot(Grow(30.0, voxel=0.01))))


@pytest.mark.parametrize(
    ("project", "words"),
    [
        (lambda: _scene(_slot(Merge(voxel=0.05)), source=Grid(1, 1, 4, 4)), "open edges"),
        (lambda: _scene(_slot(Merge(("gone",), voxel=0.05))), "not in the scene"),
        (lambda: _scene(_slot(Merge(("other",), "common", voxel=0.05)), others=(_other(3.0),)), "nothing in common"),
        (
            lambda: _scene(_slot(Merge(("other",), "take away", voxel=0.05)), others=(_other(0.0, 0.9),)),
            "all of it away",
        ),
        (lambda: _scene(_slot(Round(0.1, voxel=3.0)), place=Transform((1.0, 1.0, 1.0))), "thinner than a voxel"),
        (lambda: _scene(_slot(Thicken(0.001, voxel=0.05)), source=Grid(1, 1, 4, 4)), "thinner than voxels"),
        (lambda: _scene(_slot(Grow(0.1, voxel=0.05)), source=Grid(1, 1, 4, 4)), "open edges"),
    ],
)
def test_what_is_wrong_is_said_at_the_card_and_nothing_is_lost(project, words):
    project = project()
    frame = evaluate(project, 1)
    (problem,) = frame.problems
    assert words in problem.text
    assert problem.path == ("shapes", "body", "effects", "one")
    assert len(frame["body"].points)


def test_a_part_that_is_too_thin_is_named():
    parts = primitives.sphere(0.4, 12), primitives.box((1.5, 0.01, 0.3), 2)
    points = np.concatenate([part.points for part in parts])
    corners = np.concatenate([parts[0].topology.corners, parts[1].topology.corners + len(parts[0].points)])
    mesh = Geometry.from_faces(points, corners, np.arange(0, len(corners) + 1, 4))
    words = Round.summary(surface_of(solid_of(mesh, np.eye(4)[:3], 0.04)))
    assert "part 2 is 0.01 m thick" in words
    assert "use voxels of 0.005 m" in words


def test_flat_holes_are_closed_where_that_is_wanted():
    cup = Lathe(((0.0, 0.0), (0.4, 0.0), (0.4, 0.6)), 32, 24)
    assert "open edges" in _problem(_scene(_slot(Round(0.02, voxel=0.03)), source=cup))
    for effect in (
        Round(0.02, voxel=0.03, close=True),
        Weather(0.02, 1, voxel=0.03, close=True),
        Merge(voxel=0.03, close=True),
    ):
        assert _enclosed(_made(_scene(_slot(effect), source=cup))) == pytest.approx(np.pi * 0.4**2 * 0.6, rel=0.35)


def test_growth_that_is_nowhere_leaves_the_shape_and_says_so():
    never = Falloff("never", "Never", (Layer("height", Height()),), Range(100.0, 90.0), LINEAR)
    mesh = _made(_scene(_slot(Grow(0.2, voxel=0.03), "never"), falloffs=(never,)))
    assert np.array_equal(mesh.points, Sphere(0.5, 24).build({}).points)
    assert "nothing has grown" in Grow.summary(mesh)


def test_what_is_worn_away_altogether_says_so_and_effects_after_it_go_on():
    project = _scene(_slot(Weather(-0.7, 2, voxel=0.04)), _slot(Push(0.1), name="two"))
    mesh = _made(project)
    assert len(mesh.points) == 0
    assert "nothing is left of it" in Weather.summary(mesh)


def test_a_mesh_inside_out_and_one_that_overlaps_itself_are_fine():
    ball = primitives.sphere(0.5, 16)
    quads = ball.topology.corners.reshape(-1, 4)[:, ::-1].reshape(-1)
    turned = Geometry.from_faces(ball.points, quads, ball.topology.offsets)
    made = surface_of(solid_of(turned, np.eye(4)[:3], 0.03))
    assert _enclosed(made) == pytest.approx(4 / 3 * np.pi * 0.5**3, rel=0.03)


def test_parts_that_never_touch_stay_two_bodies():
    mesh = _made(_scene(_slot(Merge(("other",), voxel=0.02)), others=(_other(1.6),)))
    assert _euler(mesh) == 4
    assert Merge.summary(mesh).startswith("2 bodies that do not touch")


def test_the_same_bits_whatever_was_asked_before_and_rough_is_coarser():
    from estompe.evaluation import Memo
    from estompe.evaluation.time.past import Past

    near = Falloff("near", "Near", (Layer("reach", Distance("lamp")),), Range(0.0, 0.6), LINEAR)
    lamp = Control("lamp", "Lamp", transform=Transform((0.0, 0.6, 0.0)))
    project = _scene(_slot(Coat(0.05), "near"), falloffs=(near,), controls=(lamp,))
    one = evaluate(project, 1)["body"].points
    memo = Memo()
    rough = evaluate(project, 1, memo, past=Past(project, memo, rough=2.0))["body"]
    again = evaluate(project, 1, memo)["body"]
    assert np.array_equal(one, again.points)
    assert voxels_told(rough)[0] == pytest.approx(2.0 * voxels_told(again)[0])
