"""Soft shadows where things touch: there, nowhere else, the same each time, and only in still pictures."""

from dataclasses import replace

import numpy as np
import pytest

from estompe.document.project import Project
from estompe.document.scene import Scene, Shape, Transform
from estompe.evaluation import evaluate
from estompe.render import Look, Renderer, Viewpoint
from estompe.render.picture import items_of
from estompe.render.targets import RenderError
from estompe.shapes.grid import Grid
from estompe.shapes.sphere import Sphere

SIZE = (320, 240)
VIEW = Viewpoint((0.0, 2.0, 4.0), (0.0, 0.0, 0.0))


@pytest.fixture(scope="module")
def renderer():
    made = Renderer()
    yield made
    made.release()


def _items(height: float):
    """A ball over a floor."""
    floor = Shape("floor", "Floor", Grid(6.0, 6.0, 40, 40))
    ball = Shape("ball", "Ball", Sphere(0.5, 24), Transform((0.0, height, 0.0)))
    return items_of(evaluate(Project(Scene((floor, ball))), 1))


def _shade(renderer, items, look=None) -> np.ndarray:
    """How much darker each pixel is with occlusion, 0..255."""
    look = look or Look("shaded")
    with_it, without = (renderer.draw(items, VIEW, replace(look, occlusion=on), SIZE) for on in (True, False))
    return without[..., :3].astype(np.int32).max(axis=2) - with_it[..., :3].astype(np.int32).max(axis=2)


def _at(place) -> tuple[int, int]:
    (pixel,), _ = VIEW.project(np.array([place], float), *map(float, SIZE))
    return round(float(pixel[1])), round(float(pixel[0]))


def test_it_is_dark_where_a_ball_rests_and_light_far_from_it(renderer):
    shade = _shade(renderer, _items(0.5))
    assert shade[_at((0.0, 0.0, 0.28))] > 25
    assert shade[_at((1.2, 0.0, 0.9))] <= 3
    assert shade[_at((0.0, 1.0, 0.0))] <= 6  # nothing is near the top of the ball
    assert shade[4, 4] == 0  # nor is anything drawn there
    assert shade.min() >= -1


def test_a_ball_in_the_air_leaves_no_contact(renderer):
    resting, flying = (_shade(renderer, _items(height))[_at((0.0, 0.0, 0.28))] for height in (0.5, 1.6))
    assert flying < resting - 12  # what is left is the dimness under it


def test_moving_pictures_and_wires_have_none_and_strength_keeps_its_numbers(renderer):
    items = _items(0.5)
    assert np.abs(_shade(renderer, items, Look("shaded", still=False))).max() == 0
    assert np.abs(_shade(renderer, items, Look("wire"))).max() == 0
    assert (
        _shade(renderer, items, Look("strength"))[_at((0.0, 0.0, 0.28))]
        < _shade(renderer, items)[_at((0.0, 0.0, 0.28))]
    )


def test_the_same_picture_comes_out_each_time(renderer):
    items = _items(0.5)
    first = renderer.draw(items, VIEW, Look("shaded"), SIZE)
    renderer.draw(items, VIEW, Look("shaded"), (200, 160))
    assert np.array_equal(renderer.draw(items, VIEW, Look("shaded"), SIZE), first)


def test_a_picture_that_is_too_large_is_refused_in_words(renderer):
    with pytest.raises(RenderError, match="16384x16384 is more than this machine can draw"):
        renderer.draw(_items(0.5), VIEW, Look("shaded"), (16384, 16384))
