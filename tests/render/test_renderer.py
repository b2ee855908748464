"""Pictures: what is where, only changed arrays are uploaded, and the comparer itself can fail."""

import subprocess
import sys

import numpy as np
import pytest

from estompe.evaluation import evaluate
from estompe.geometry import Domain
from estompe.render import Item, Look, Renderer, Viewpoint
from estompe.render.palette import BELOW, SIZE, STOPS, rgb, strength_colors, strength_table
from estompe.render.picture import camera_picture, items_of
from estompe.shapes import primitives
from tests.render.pictures import difference
from tests.scenes import one_push

SIZE_2D = (160, 128)
FRONT = Viewpoint((0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 40.0)
BACKGROUND = (0.725, 0.710, 0.678)


@pytest.fixture(scope="module")
def renderer():
    made = Renderer()
    yield made
    made.release()


def _sphere(radius: float = 0.7, **given) -> Item:
    return Item("sphere", primitives.sphere(radius, 16), (0.8, 0.5, 0.3), **given)


def _covered(picture: np.ndarray) -> np.ndarray:
    ground = np.rint(np.array(BACKGROUND) * 255)
    return np.abs(picture[..., :3].astype(float) - ground).max(axis=2) > 3


@pytest.mark.parametrize("still", [True, False])
def test_a_sphere_covers_the_disc_it_must(renderer, still):
    covered = _covered(renderer.draw([_sphere()], FRONT, Look("shaded", BACKGROUND, still), SIZE_2D))
    radius = 0.7 / np.sqrt(4.0**2 - 0.7**2) / np.tan(np.radians(20)) * SIZE_2D[1] / 2
    assert covered.sum() == pytest.approx(np.pi * radius**2, rel=0.04)
    rows, columns = np.nonzero(covered)
    assert rows.mean() == pytest.approx(63.5, abs=0.6)
    assert columns.mean() == pytest.approx(79.5, abs=0.6)


def test_up_is_up_and_right_is_right(renderer):
    item = Item(
        "b", primitives.sphere(0.2, 6).moved(primitives.sphere(0.2, 6).points + np.float32([0.8, 0.6, 0])), (1, 1, 1)
    )
    rows, columns = np.nonzero(_covered(renderer.draw([item], FRONT, Look("shaded", BACKGROUND), SIZE_2D)))
    pixels, _ = FRONT.project(np.array([[0.8, 0.6, 0.0]]), *SIZE_2D)
    assert columns.mean() == pytest.approx(pixels[0, 0], abs=1.5)
    assert rows.mean() == pytest.approx(pixels[0, 1], abs=1.5)
    assert rows.mean() < 64 < 80 < columns.mean()


@pytest.mark.parametrize("distance", [1.0, 4.0, 40.0, 400.0])
def test_what_lies_just_behind_does_not_show_through(renderer, distance):
    """A sheet a two-thousandth of a pixel behind another is hidden by it in every pixel, however far off both are."""
    sheet = primitives.grid(0.5 * distance, 0.5 * distance, 40, 40)
    sheet = sheet.moved(sheet.points @ np.float32([[1, 0, 0], [0, 0.8, 0.6], [0, -0.6, 0.8]]).T)
    view = Viewpoint((0.0, distance, 0.0), (0.0, 0.0, 0.0), 40.0, up=(0.0, 0.0, 1.0))
    gap = view.units_per_pixel(np.zeros(3), SIZE_2D[1]) / 2000
    behind = sheet.moved(sheet.points - np.float32([0.0, max(gap, 1e-6 * distance), 0.0]))
    items = [Item("behind", behind, (1.0, 0.0, 0.0)), Item("before", sheet, (0.0, 0.0, 1.0))]
    for order in (items, items[::-1]):
        picture = renderer.draw(order, view, Look("shaded", BACKGROUND, False), SIZE_2D).astype(int)
        assert (picture[..., 2] > picture[..., 0]).sum() > 1000
        assert not (picture[..., 0] > picture[..., 2] + 40).any()


def test_nearer_things_hide_farther_ones(renderer):
    near = Item(
        "near", primitives.sphere(0.3, 6).moved(primitives.sphere(0.3, 6).points + np.float32([0, 0, 1])), (1, 0, 0)
    )
    far = Item("far", primitives.sphere(0.3, 6), (0, 0, 1))
    for items in ([near, far], [far, near]):
        pixel = renderer.draw(items, FRONT, Look("shaded", BACKGROUND), SIZE_2D)[64, 80]
        assert pixel[0] > 3 * pixel[2]


def test_strength_is_shown_in_its_colours(renderer):
    count = len(primitives.sphere(0.7, 16).points)
    for level in (0.1, 0.4, 0.9):
        item = _sphere(strength=np.full(count, level, np.float32), range_position=np.full(count, 0.5, np.float32))
        middle = renderer.draw([item], FRONT, Look("strength", BACKGROUND), SIZE_2D)[64, 80, :3].astype(float)
        wanted = strength_colors(np.float32([level]))[0].astype(float)
        shade = middle.sum() / wanted.sum()
        assert 0.6 < shade < 1.15
        assert np.abs(middle - wanted * shade).max() < 8


def test_contours_stand_at_the_quarters(renderer):
    grid = primitives.grid(3.0, 3.0, 60, 60)
    strength = np.clip(grid.points[:, 0] / 3.0 + 0.5, 0, 1)
    above = Viewpoint((0.0, 4.0, 0.001), (0.0, 0.0, 0.0), 42.0)
    place = np.full(len(strength), 0.5, np.float32)
    picture = renderer.draw(
        [Item("g", grid, (1, 1, 1), strength, place)], above, Look("strength", BACKGROUND, False), (640, 64)
    )
    row = picture[32, :, :3].astype(float).sum(axis=1)
    sharpness = np.abs(np.diff(row, 2))
    for level in (0.25, 0.5, 0.75):
        (pixel,), _ = above.project(np.array([[(level - 0.5) * 3.0, 0, 0]]), 640, 64)
        here = round(float(pixel[0]))
        assert sharpness[here - 4 : here + 4].max() > 5 * np.median(sharpness) + 10


def test_only_changed_arrays_are_uploaded(renderer):
    sphere = primitives.sphere(0.7, 8)
    strength, place = (np.zeros(len(sphere.points), np.float32) for _ in range(2))
    first = Item("fresh", sphere, (1, 1, 1), strength, place)
    look = Look("strength", BACKGROUND)
    renderer.draw([first], FRONT, look, SIZE_2D)
    assert set(renderer.uploads) == {
        f"fresh.{name}" for name in ("position", "normal", "triangles", "strength", "range_position")
    }
    renderer.draw([first], FRONT.orbited(10, 5), look, SIZE_2D)
    assert renderer.uploads == []
    renderer.draw([first._replace(strength=strength + 1)], FRONT, look, SIZE_2D)
    assert renderer.uploads == ["fresh.strength"]
    moved = sphere.moved(sphere.points * np.float32(1.1))
    renderer.draw([first._replace(geometry=moved)], FRONT, look, SIZE_2D)
    assert sorted(renderer.uploads) == ["fresh.normal", "fresh.position", "fresh.strength"]


def test_own_colours_win_over_the_shapes(renderer):
    sphere = primitives.sphere(0.7, 8)
    red = sphere.with_attribute(Domain.POINT, "color", np.tile(np.float32([1, 0, 0]), (len(sphere.points), 1)))
    pixel = renderer.draw([Item("red", red, (0, 1, 0))], FRONT, Look("shaded", BACKGROUND), SIZE_2D)[64, 80]
    assert pixel[0] > 100
    assert pixel[1] < 5


def test_wire_draws_edges(renderer):
    shaded, wire = (renderer.draw([_sphere()], FRONT, Look(mode, BACKGROUND), SIZE_2D) for mode in ("shaded", "wire"))
    assert difference(shaded, wire) > 20


def test_pick_finds_the_triangle_under_a_pixel(renderer):
    items = [
        _sphere(),
        Item(
            "side",
            primitives.sphere(0.2, 6).moved(primitives.sphere(0.2, 6).points + np.float32([1.1, 0, 0])),
            (1, 1, 1),
        ),
    ]
    hit = renderer.pick(items, FRONT, SIZE_2D, 80, 64)
    assert hit.id == "sphere"
    corners = items[0].geometry.points[items[0].geometry.topology.triangles[hit.triangle]]
    assert np.linalg.norm(corners.mean(axis=0) - [0, 0, 0.7]) < 0.12
    (pixel,), _ = FRONT.project(np.array([[1.1, 0, 0.1]]), *SIZE_2D)
    assert renderer.pick(items, FRONT, SIZE_2D, *pixel).id == "side"
    assert renderer.pick(items, FRONT, SIZE_2D, 2, 2) is None


def test_the_same_frame_is_the_same_picture(small_sample):
    frame = evaluate(small_sample, 60)
    one, other = (camera_picture(frame, (320, 200), "lantern-glow") for _ in range(2))
    assert np.array_equal(one, other)


def test_the_comparer_sees_a_lost_channel_a_shift_and_a_missing_shape(small_sample):
    frame = evaluate(small_sample, 60)
    good = camera_picture(frame, (320, 200), "lantern-glow")
    lost, shifted = good.copy(), np.roll(good, 6, axis=1)
    lost[..., 0] = 0
    renderer = Renderer()
    missing = renderer.draw(items_of(frame)[1:], Viewpoint.of_camera(frame.scene.camera), Look("shaded"), (320, 200))
    renderer.release()
    assert difference(good, good) == 0
    for bad in (lost, shifted, missing):
        assert difference(good, bad) > 10


def test_hidden_shapes_are_not_drawn(small_sample):
    from estompe.document import edits

    hidden = edits.put(small_sample.scene, ("shapes", "quay", "visible"), False)
    assert [item.id for item in items_of(evaluate(small_sample.with_scene(hidden), 1))] == ["amphora"]


def test_a_shape_without_faces_is_no_reason_to_fail(renderer):
    frame = evaluate(one_push(), 1)
    items = items_of(frame)
    assert renderer.draw([], FRONT, Look(), SIZE_2D).shape == (128, 160, 4)
    assert renderer.draw(items, FRONT, Look(), (1, 1)).shape == (1, 1, 4)


def test_lightness_of_the_strength_scale_falls_evenly():
    luminance = strength_table()[SIZE:].astype(float) @ [0.2126, 0.7152, 0.0722]
    assert (np.diff(luminance) <= 0.5).all()
    assert tuple(strength_colors(np.float32([0.0, 1.0, -1.0]))[1]) == rgb(STOPS[-1])
    assert np.abs(strength_colors(np.float32([-1.0]))[0].astype(int) - rgb(BELOW)).max() <= 1


def test_viewpoints_orbit_pan_zoom_and_fit():
    view = FRONT.orbited(90, 0)
    assert np.allclose(np.abs(view.eye), [4, 0, 0], atol=1e-6)
    assert view.distance == pytest.approx(4.0)
    assert FRONT.zoomed(0.5).distance == pytest.approx(2.0)
    assert np.allclose(np.subtract(FRONT.panned(1, 2).eye, FRONT.eye), [1, 2, 0])
    fitted = FRONT.fitted(np.array([-2.0, -1, -1]), np.array([2.0, 1, 1]), 1.5)
    corners = np.array([[x, y, z] for x in (-2, 2) for y in (-1, 1) for z in (-1, 1)])
    pixels, before = fitted.project(corners, 300, 200)
    assert before.all()
    assert (pixels > 0).all()
    assert (pixels < [300, 200]).all()


def test_a_ray_goes_through_the_pixel_it_was_made_for():
    view = FRONT.orbited(33, 21)
    eye, direction = view.ray(40, 30, *SIZE_2D)
    (pixel,), _ = view.project((eye + 3 * direction)[None], *SIZE_2D)
    assert np.allclose(pixel, [40, 30])


def test_two_renderers_take_turns_on_one_thread(small_sample):
    frame = evaluate(small_sample, 60)
    items, viewpoint = items_of(frame), Viewpoint.of_camera(frame.scene.camera)
    alone = camera_picture(frame, (320, 200))
    first, second = Renderer(), Renderer()
    pictures = [
        drawer.draw(items, viewpoint, Look("shaded"), (320, 200)) for drawer in (first, second, first, second, first)
    ]
    second.release()
    pictures.append(first.draw(items[:1], viewpoint, Look("shaded"), (320, 200)))
    pictures.append(first.draw(items, viewpoint, Look("shaded"), (320, 200)))
    first.release()
    assert all(np.array_equal(picture, alone) for picture in (*pictures[:5], pictures[6]))


_HELD = """
import os, threading
from pathlib import Path
from estompe.shapes import primitives
from estompe.render import Item, Look, Renderer, Viewpoint

def draw():
    renderer = Renderer()
    ball = Item("ball", primitives.sphere(0.7, 16), (0.8, 0.5, 0.3))
    renderer.draw([ball], Viewpoint((0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 40.0), Look("shaded"), (1280, 800))
    renderer.release()

for _ in range(9):
    thread = threading.Thread(target=draw)
    thread.start()
    thread.join()
    print(int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") // 2**20)
"""


def test_a_released_renderer_leaves_no_memory_behind():
    done = subprocess.run([sys.executable, "-c", _HELD], capture_output=True, text=True, check=True)
    held = [int(line) for line in done.stdout.split()]
    assert held[-1] - held[2] < 120, held  # six times the 40 MB of one renderer, if they were kept
