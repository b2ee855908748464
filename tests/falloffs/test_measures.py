"""Sources beyond the first four, each against a closed form or plain NumPy."""

import numpy as np
import pytest
from PIL import Image as Picture
from tests.counting import CountingMemo

from estompe.document import edits
from estompe.document.project import Project, asset_name
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Scene, Shape, Transform
from estompe.effects.joints import Joints
from estompe.effects.move import Move
from estompe.effects.subdivide import Subdivide
from estompe.evaluation import evaluate
from estompe.falloffs.along import Along
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.camera_distance import CameraDistance
from estompe.falloffs.distance import Distance, smaller
from estompe.falloffs.facing import Facing
from estompe.falloffs.formula import FormulaSource
from estompe.falloffs.height import Height
from estompe.falloffs.image import Image
from estompe.falloffs.inside import Inside
from estompe.falloffs.joint_bend import JointBend
from estompe.falloffs.noise import Noise
from estompe.falloffs.order import Order
from estompe.falloffs.painted import Painted
from estompe.falloffs.random import Random
from estompe.falloffs.slope import Slope
from estompe.falloffs.surface import Surface
from estompe.geometry import Domain
from estompe.importing.pictures import numbered
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.box import Box
from estompe.shapes.grid import Grid
from estompe.shapes.lathe import Lathe
from estompe.shapes.sphere import Sphere

PATH = ((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (1.0, 1.0, 0.0))
CONTROLS = (
    Control("a", "A", transform=Transform((1.0, 0.0, 0.0))),
    Control("b", "B", transform=Transform((-1.0, 0.0, 0.0), scale=(2.0, 2.0, 2.0))),
    Control("path", "Path", "path", Transform((0.0, 0.2, 0.0), (0.0, 0.0, 90.0)), points=PATH),
)


def _measured(source, shape=None, frame=1, assets=None, camera=None, others=()):
    """Values on a shape, its geometry, and the frame."""
    shape = shape or Shape("s", "S", Sphere(0.7, 8), Transform((0.1, 0.3, -0.2), (20.0, 30.0, 0.0)))
    falloff = Falloff("f", "F", (Layer("l", source),), Range(0.0, 1.0))
    scene = Scene((shape, *others), CONTROLS, (falloff,), camera or Camera())
    worked = evaluate(Project(scene, assets), frame)
    return worked.shown("s", "f").values, worked["S"], worked


def test_the_nearest_of_several_controls():
    values, mesh, _ = _measured(Distance("a", ("b",)))
    to_a, to_b = (np.linalg.norm(mesh.points - [x, 0, 0], axis=1) for x in (1, -1))
    assert np.abs(values - np.minimum(to_a, to_b / 2)).max() < 1e-5


def test_a_blend_is_smooth_and_at_most_a_quarter_below():
    a = np.linspace(-1, 1, 401, dtype=np.float32)
    joined = smaller(a, -a, 0.5)
    assert np.abs(np.diff(joined, 2)).max() < 2e-4
    assert (joined <= np.minimum(a, -a)).all()
    assert np.abs(joined - np.minimum(a, -a)).max() == pytest.approx(0.125, abs=1e-3)
    assert np.array_equal(smaller(a, -a, 0.0), np.minimum(a, -a))


def test_distance_to_a_path_in_its_own_space_and_the_way_along_it():
    values, mesh, _ = _measured(Distance("path"))
    along, _, _ = _measured(Along("path"))
    own = np.stack(
        [mesh.points[:, 1] - 0.2, -mesh.points[:, 0], mesh.points[:, 2]], axis=1
    )  # turned back by 90 degrees
    first = np.clip(own[:, 0], 0, 1)
    second = np.clip(own[:, 1], 0, 1)
    d1 = np.linalg.norm(own - np.stack([first, 0 * first, 0 * first], 1), axis=1)
    d2 = np.linalg.norm(own - np.stack([0 * second + 1, second, 0 * second], 1), axis=1)
    assert np.abs(values - np.minimum(d1, d2)).max() < 1e-5
    clear = np.abs(d1 - d2) > 1e-4
    assert np.abs(along - np.where(d1 < d2, first / 2, 0.5 + second / 2))[clear].max() < 1e-4


@pytest.mark.parametrize("source", [Distance("short"), Along("short"), Along("a")])
def test_a_path_without_length_says_so(source):
    scene = Scene(
        (Shape("s", "S", Sphere(1.0, 3)),), (Control("short", "Short", "path", points=((0.0, 0.0, 0.0),)), CONTROLS[0]),
        (Falloff("f", "F", (Layer("l", source),)),),
    )  # fmt: skip
    frame = evaluate(Project(scene), 1)
    frame.strength("S", "F")
    assert "fewer than two points" in frame.problems[0].text


@pytest.mark.parametrize("signed", [False, True])
def test_distance_to_another_shape_after_its_effects(signed):
    other = Shape("o", "Other", Box(1.0, 1.0, 1.0, 2), effects=(EffectSlot("e", Move((0.5, 0.0, 0.0))),))
    values, mesh, _ = _measured(Surface("o", signed), others=(other,))
    q = np.abs(mesh.points - [0.5, 0, 0]) - 0.5
    exact = np.linalg.norm(np.maximum(q, 0), axis=1) + np.minimum(q.max(axis=1), 0)
    assert np.abs(values - (exact if signed else np.abs(exact))).max() < 1e-5


@pytest.mark.parametrize("signed", [False, True])
def test_what_is_beyond_where_it_looks_counts_as_that_far(signed):
    other = Shape("o", "Other", Sphere(0.5, 12), Transform((0.4, 0.0, 0.0)))
    everywhere = _measured(Surface("o", signed), others=(other,))[0]
    near = _measured(Surface("o", signed, 0.2), others=(other,))[0]
    assert (everywhere > 0.2).sum() > 50
    assert (everywhere < 0.0).any() == signed
    # In the box around a signed mesh the exact distance is known anyway.
    assert np.array_equal(near[everywhere <= 0.2], everywhere[everywhere <= 0.2])
    assert (near[everywhere > 0.2] >= np.float32(0.2)).all()
    assert (near[everywhere > 0.8] == np.float32(0.2)).all()


def test_inside_is_a_soft_mask_that_moves():
    other = Shape(
        "o", "Other", Sphere(0.5, 24), Transform((Keyed((Key(1, 0.0), Key(2, 3.0))), 0.0, 0.0)), visible=False
    )
    values, mesh, _ = _measured(Inside("o", 0.2), others=(other,))
    exact = np.clip(0.5 - (np.linalg.norm(mesh.points, axis=1) - 0.5) / 0.2, 0, 1)
    assert np.abs(values - exact).max() < 0.02
    assert _measured(Inside("o", 0.2), others=(other,), frame=2)[0].max() == 0


def test_an_open_shape_has_no_inside_and_shapes_that_look_at_each_other_say_so():
    sheet = Shape("o", "Other", Grid(1.0, 1.0, 4, 4))
    assert "16 open edges" in _measured(Inside("o"), others=(sheet,))[2].problems[0].text
    own = Shape("s", "S", Sphere(0.5, 4), effects=(EffectSlot("e", Move(), (edits_route("f"),)),))
    _, _, frame = _measured(Surface("s"), own)
    assert "depends on it" in frame.problems[0].text


def edits_route(falloff):
    from estompe.document.scene import Route

    return Route(falloff)


@pytest.mark.parametrize(("channel", "column"), [("first", 0), ("second", 1)])
def test_attributes_survive_effects_that_move_and_split(channel, column):
    sheet = Shape("s", "S", Grid(1.0, 1.0, 4, 4), effects=(EffectSlot("m", Move()), EffectSlot("d", Subdivide(1))))
    values, mesh, _ = _measured(Attribute("uv", channel), sheet)
    assert len(values) == len(mesh.points) == 81
    exact = mesh.points[:, 0] + 0.5 if column == 0 else 0.5 - mesh.points[:, 2]
    inner = (np.abs(mesh.points[:, [0, 2]]) < 0.3).all(axis=1)
    assert np.abs(values - exact)[inner].max() < 1e-5


def test_a_missing_attribute_names_those_that_are_there():
    assert "it has: order, uv" in _measured(Attribute("salt"), Shape("s", "S", Lathe()))[2].problems[0].text


def test_order_runs_along_the_profile_and_is_kept_by_effects():
    lathe = Shape("s", "S", Lathe(around=8, along=20), effects=(EffectSlot("e", Move()),))
    values, _, _ = _measured(Order(), lathe)
    assert (values.min(), values.max()) == (0, 1)
    rings = np.unique(values)
    assert np.allclose(rings, np.linspace(0, 1, 21), atol=1e-6)


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_height_at_rest_and_now(axis):
    k = "xyz".index(axis)
    values, mesh, _ = _measured(Height(axis))
    assert np.allclose(values, (mesh.rest[:, k] + 0.7) / 1.4, atol=1e-5)
    values, mesh, _ = _measured(Height(axis, "now"))
    low, high = mesh.points[:, k].min(), mesh.points[:, k].max()
    assert np.allclose(values, (mesh.points[:, k] - low) / (high - low), atol=1e-5)


def test_slope_is_the_angle_to_a_direction():
    values, mesh, _ = _measured(Slope((1.0, 1.0, 0.0)))
    direction = np.array([1, 1, 0]) / np.sqrt(2)
    assert np.abs(values - np.degrees(np.arccos(np.clip(mesh.normals @ direction, -1, 1)))).max() < 1e-2
    blurred = _measured(Slope((1.0, 1.0, 0.0), 3))[0]
    assert blurred.max() < values.max()


def test_facing_and_distance_follow_the_camera():
    camera = Camera(position=(0.0, 0.0, Keyed((Key(1, 5.0), Key(9, 2.0)))), target=(0.0, 0.0, 0.0))
    shape = Shape("s", "S", Sphere(0.7, 24))
    for frame, away in ((1, 5.0), (9, 2.0)):
        values, mesh, _ = _measured(CameraDistance(), shape, frame, camera=camera)
        assert np.abs(values - np.linalg.norm(mesh.points - [0, 0, away], axis=1)).max() < 1e-5
        values, mesh, _ = _measured(Facing(), shape, frame, camera=camera)
        cosine = 0.7 / away  # where the camera's ray just touches the sphere
        touching = np.abs(mesh.points[:, 2] - 0.7 * cosine) < 0.02
        assert np.abs(values[touching] - 90).max() < 4


def test_random_is_fixed_by_its_seed_and_does_not_follow_movement():
    values, _, _ = _measured(Random(3))
    moved, _, _ = _measured(Random(3), Shape("s", "S", Sphere(0.7, 8), effects=(EffectSlot("e", Move()),)))
    assert np.array_equal(values, moved)
    assert not np.array_equal(values, _measured(Random(4))[0])


def test_a_formula_per_point_and_with_the_scenes_numbers():
    values, mesh, _ = _measured(FormulaSource("x * 2 + ny + B.scale.x + id / count + frame"), frame=3)
    n = np.arange(len(mesh.points)) / len(mesh.points)
    assert np.abs(values - (mesh.points[:, 0] * 2 + mesh.normals[:, 1] + 2 + n + 3)).max() < 1e-4


@pytest.mark.parametrize("text", ["1 / (x - x)", "foo", "sin(1, 2)", "Nobody.position.x"])
def test_a_wrong_formula_is_a_problem_with_its_place(text):
    frame = _measured(FormulaSource(text))[2]
    assert frame.problems[0].text.startswith("Formula: “")


def test_a_formula_without_time_is_worked_out_once():
    memo = CountingMemo()
    falloff = Falloff("f", "F", (Layer("l", FormulaSource("x + y")),))
    project = Project(Scene((Shape("s", "S", Sphere(0.7, 8)),), falloffs=(falloff,)))
    for frame in (1, 2, 3):
        evaluate(project, frame, memo).strength("S", "F")
    assert memo.computed["measure"] == 1


@pytest.fixture
def picture(tmp_path):
    """A picture that is brighter to the right, and red only in its upper half."""
    values = np.zeros((40, 60, 3), np.uint8)
    values[..., 1] = np.linspace(0, 255, 60).astype(np.uint8)
    values[:20, :, 0] = 255
    Picture.fromarray(values).save(tmp_path / "wave.0007.png")
    return tmp_path / "wave.0007.png"


def test_an_image_through_uvs(picture):
    sheet = Shape("s", "S", Grid(1.0, 1.0, 20, 20))
    values, mesh, _ = _measured(Image(str(picture), "green"), sheet)
    inner = np.abs(mesh.points[:, 0]) < 0.45
    assert np.abs(values - (mesh.points[:, 0] + 0.5))[inner].max() < 0.02
    red, _, _ = _measured(Image(str(picture), "red"), sheet)
    assert red[(mesh.points[:, 2] < -0.05) & (mesh.points[:, 2] > -0.45)].min() == 1  # v runs up, and up is -Z here
    assert red[(mesh.points[:, 2] > 0.05) & (mesh.points[:, 2] < 0.45)].max() == 0


def test_sequences_and_files_that_are_missing_or_broken(picture, tmp_path):
    sheet = Shape("s", "S", Grid(1.0, 1.0, 4, 4))
    assert numbered("a/wave.####.png", 7) == "a/wave.0007.png"
    sequence = str(picture).replace("0007", "####")
    assert not _measured(Image(sequence), sheet, frame=7)[2].problems
    assert "wave.0008.png is not there" in _measured(Image(sequence), sheet, frame=8)[2].problems[0].text
    (tmp_path / "bad.png").write_bytes(b"no picture")
    assert "cannot be read" in _measured(Image(str(tmp_path / "bad.png")), sheet)[2].problems[0].text
    assert "no picture is chosen" in _measured(Image(), sheet)[2].problems[0].text


def test_a_high_range_picture(tmp_path):
    import OpenEXR

    values = np.full((4, 4), 2.5, np.float32)
    OpenEXR.File({"type": OpenEXR.scanlineimage}, {"R": values, "G": values, "B": values}).write(
        str(tmp_path / "h.exr")
    )
    assert _measured(Image(str(tmp_path / "h.exr"), "red"), Shape("s", "S", Grid(1.0, 1.0, 2, 2)))[0].max() == 2.5


def test_a_painted_mask_and_one_for_another_mesh():
    mask = np.linspace(0, 1, 386, dtype=np.float32)
    name = asset_name(mask)
    assert np.array_equal(_measured(Painted(name), assets={name: mask})[0], mask)
    wrong = _measured(Painted(name), Shape("s", "S", Sphere(0.7, 4)), assets={name: mask})[2]
    assert "painted on a mesh of 386 points and this one has 98: it is kept" in wrong.problems[0].text
    assert "its data is not in the file" in _measured(Painted(name))[2].problems[0].text


def test_the_bend_of_a_joint_where_it_acts():
    joints = Joints()
    joints = edits.put(joints, ("joints", "joint-2", "rotation"), (0.0, 0.0, 60.0))
    shape = Shape(
        "s", "S", Box(0.2, 1.0, 0.2, 10), Transform((0.0, 5.0, 0.0)), (EffectSlot("j", joints, enabled=False),)
    )
    values, mesh, _ = _measured(JointBend("j", 2), shape)
    fraction = np.maximum(1 - np.abs(np.clip(mesh.rest[:, 1], 0, 1) - 0.5) / 0.5, 0)
    assert np.abs(values - 60 * fraction * fraction * (3 - 2 * fraction)).max() < 1e-2
    assert _measured(JointBend("j", 3), shape)[0].max() == 0
    assert "only 3 joints" in _measured(JointBend("j", 9), shape)[2].problems[0].text


@pytest.mark.parametrize("pattern", ["gradient", "value", "simplex", "cellular", "sparse"])
def test_noise_of_every_pattern_loops_inverts_and_is_clipped(pattern):
    shape = Shape("s", "S", Sphere(0.7, 16))
    source = Noise(1.0, 0.3, 2, speed=0.5, pattern=pattern, loop=48)
    start, again = (_measured(source, shape, frame)[0] for frame in (0, 48))
    assert np.array_equal(start, again)
    assert np.abs(_measured(source, shape, 20)[0] - start).max() > 0.05
    clipped = Noise(1.0, 0.3, 2, pattern=pattern, floor=-0.2, ceiling=0.2)
    inverted = Noise(1.0, 0.3, 2, pattern=pattern, floor=-0.2, ceiling=0.2, invert=True)
    values, mirrored = _measured(clipped, shape)[0], _measured(inverted, shape)[0]
    assert np.allclose(values, -mirrored, atol=1e-6)
    assert (values.min(), values.max()) == (-1, 1)
    from_zero = _measured(Noise(0.5, 0.3, 2, pattern=pattern, centred=False), shape)[0]
    assert from_zero.min() >= 0
    assert from_zero.max() <= 0.5


def test_the_three_spaces_of_noise():
    there = Transform((4.0, 1.0, 0.0), (0.0, 50.0, 0.0))
    pushed = (EffectSlot("e", Move((0.0, 0.3, 0.0), "local")),)
    for space, by_placing, by_effect in (("world", False, False), ("local", True, False), ("rest", True, True)):
        plain = _measured(Noise(space=space), Shape("s", "S", Sphere(0.7, 8)))[0]
        placed = _measured(Noise(space=space), Shape("s", "S", Sphere(0.7, 8), there))[0]
        moved = _measured(Noise(space=space), Shape("s", "S", Sphere(0.7, 8), effects=pushed))[0]
        assert np.allclose(plain, placed, atol=1e-3) is by_placing, space
        assert np.allclose(plain, moved, atol=1e-3) is by_effect, space


def test_color_channels():
    sphere = Shape("s", "S", Sphere(0.5, 2))
    from estompe.effects.color import Color

    tinted = Shape("s", "S", Sphere(0.5, 2), effects=(EffectSlot("c", Color((0.9, 0.5, 0.1))),))
    for channel, value in (("first", 0.9), ("second", 0.5), ("third", 0.1), ("mean", 0.5)):
        assert np.allclose(_measured(Attribute("color", channel), tinted)[0], value, atol=1e-6)
    assert evaluate(Project(Scene((sphere,))), 1)["S"].attribute(Domain.POINT, "color") is None
