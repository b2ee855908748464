"""Views with parallel rays, and what helps the eye on the ground: against closed forms."""

import numpy as np
import pytest

from estompe.geometry import Geometry
from estompe.render import Item, Look, Renderer, Viewpoint
from estompe.render.ground import grid_lines, ground_height, key_direction, lights_about, seen_from
from estompe.render.matrices import matrices_of
from estompe.shapes import primitives

SIZE = (320, 200)
COLOR = (0.8, 0.2, 0.2)


@pytest.fixture(scope="module")
def renderer():
    made = Renderer()
    yield made
    made.release()


def box(side: float = 1.0, at=(0.0, 0.0, 0.0)) -> Item:
    made: Geometry = primitives.box((side, side, side), 1)
    return Item("box", made.moved(made.points + np.asarray(at, np.float32)), COLOR)


def side_view(height: float = 4.0) -> Viewpoint:
    return Viewpoint((0.0, 0.0, 5.0), (0.0, 0.0, 0.0), parallel=height)


def drawn(picture: np.ndarray) -> np.ndarray:
    """Where the red box is."""
    return picture[..., 0].astype(int) - picture[..., 1] > 40


@pytest.mark.parametrize("depth", [-40.0, 0.0, 3.0, 12.0])
def test_a_box_is_as_large_in_the_picture_at_any_depth_even_behind_the_eye(renderer, depth):
    picture = renderer.draw([box(1.0, (0.5, 0.0, depth))], side_view(), Look(still=False), SIZE)
    rows, columns = np.nonzero(drawn(picture))
    # 200 pixels show 4 units, so one unit is 50 pixels; half a unit to the right of the middle is 25 pixels.
    assert np.ptp(rows) + 1 == pytest.approx(50, abs=1)
    assert np.ptp(columns) + 1 == pytest.approx(50, abs=1)
    assert columns.mean() == pytest.approx(160 + 25 - 0.5, abs=1)


def test_places_rays_and_matrices_agree():
    view = Viewpoint((3.0, 2.0, 5.0), (0.2, 0.4, 0.0), parallel=3.0, aspect=2.0, offset=(0.2, -0.1))
    places = np.random.default_rng(2).normal(size=(50, 3))
    pixels, before = view.project(places, *map(float, SIZE))
    assert before.all()
    for place, pixel in zip(places, pixels, strict=True):
        eye, direction = view.ray(*pixel, *map(float, SIZE))
        offset = place - eye
        assert np.linalg.norm(offset - direction * (offset @ direction)) < 1e-9
    world, projection = matrices_of(view, SIZE, [box()])
    clip = np.concatenate([places, np.ones((50, 1))], axis=1) @ world.T @ projection.T
    assert np.allclose(clip[:, 3], 1.0)
    assert np.allclose((clip[:, :2] + 1) / 2 * SIZE, pixels, atol=1e-6)


def test_what_lies_under_a_pixel_is_found(renderer):
    items = [box(1.0, (0.0, 0.0, -3.0)), Item("near", box(0.4).geometry, COLOR)]
    assert renderer.pick(items, side_view(), SIZE, 160, 100).id == "near"
    assert renderer.pick(items, side_view(), SIZE, 160 + 18, 100).id == "box"
    assert renderer.pick(items, side_view(), SIZE, 160 + 30, 100) is None


def test_going_over_to_parallel_rays_keeps_the_target_as_large_and_zooming_scales_it():
    view = Viewpoint((3.0, 2.0, 5.0), (0.0, 0.5, 0.0))
    target = np.array(view.target)
    flat = view.with_parallel(True)
    assert flat.units_per_pixel(target, 200.0) == pytest.approx(view.units_per_pixel(target, 200.0))
    assert flat.zoomed(0.5).parallel == pytest.approx(flat.parallel / 2)
    assert flat.zoomed(0.5).with_parallel(False).eye == pytest.approx(view.zoomed(0.5).eye)
    above = flat.looking((0.0, -1.0, 0.0))
    right, up, back = above.axes()
    assert np.allclose(np.stack([right, up, back]), [(1, 0, 0), (0, 0, -1), (0, 1, 0)])
    assert above.fitted(np.full(3, -1.0), np.full(3, 1.0), 1.6).parallel >= 2 * np.sqrt(3)


def test_a_grid_lies_in_its_plane_on_whole_multiples_of_its_spacing():
    for axis in range(3):
        for lines in grid_lines(0.5, (10.2, 3.1, -7.3), axis):
            assert np.all(lines[:, axis] == 0.0)
            ends = lines.reshape(-1, 2, 3)
            constant = np.abs(ends[:, 0] - ends[:, 1]) < 1e-6
            assert np.allclose(ends[:, 0][constant] / 0.5, np.round(ends[:, 0][constant] / 0.5), atol=1e-4)


def test_a_light_sees_places_along_its_way_in_one_spot():
    light = key_direction(30.0)
    assert np.linalg.norm(light) == pytest.approx(1.0)
    low, high = np.array([-1.0, 0.0, -1.0]), np.array([1.0, 2.0, 1.0])
    matrix = seen_from(light, low, high, 0.0)
    place = np.array([0.3, 1.5, -0.4])
    near, far = (matrix @ np.append(place + light * step, 1.0) for step in (0.2, -0.2))
    assert np.allclose(near[:2], far[:2])
    assert near[2] < far[2]
    corners = np.array([[x, y, z, 1.0] for x in (-1, 1) for y in (0, 2) for z in (-1, 1)])
    assert np.abs(corners @ matrix.T)[:, :3].max() <= 1.0 + 1e-9
    spread = np.array(lights_about(30.0, 16))
    assert np.degrees(np.arccos(np.clip(spread @ light, -1, 1))).max() < 8.0


def test_a_still_picture_shows_the_shadow_on_the_side_away_from_the_light_and_a_moving_one_does_not(renderer):
    items = [box(1.0, (0.0, 0.5, 0.0))]
    view = Viewpoint((0.0, 6.0, 0.01), (0.0, 0.0, 0.0), parallel=6.0)
    plain = renderer.draw(items, view, Look("shaded", still=True, occlusion=False), SIZE).astype(int)
    look = Look("shaded", still=True, occlusion=False, light=90.0, shadow=True)
    lit = renderer.draw(items, view, look, SIZE).astype(int)
    darker = (plain - lit).sum(axis=2) > 25
    darker &= ~drawn(plain.astype(np.uint8))
    assert darker.any()
    # The light comes from the right, so the shadow falls to the left.
    assert np.nonzero(darker)[1].mean() < 160 - 20
    # The lowest light, at 45 degrees, casts the top edge of the box 1 unit, 33 pixels, past its left side.
    assert np.nonzero(darker.any(axis=0))[0].min() == pytest.approx(160 - 16.7 - 33, abs=7)
    moving = renderer.draw(items, view, Look("shaded", still=False, light=90.0, shadow=True), SIZE)
    assert np.all(moving[~drawn(moving)] == moving[0, 0])


def test_the_ground_is_at_zero_or_under_the_lowest_point():
    assert ground_height([]) == 0.0
    assert ground_height([box(1.0, (0.0, 0.5, 0.0))]) == 0.0
    assert -0.52 <= ground_height([box(1.0)]) <= -0.5
