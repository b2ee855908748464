"""Pictures of copies: the same as of the mesh they stand for, picked one by one, and simplified only when asked."""

import numpy as np
import pytest

from estompe.geometry import Domain, Geometry
from estompe.geometry.copies import Copies
from estompe.geometry.pieces import even_ranks
from estompe.render import Item, Look, Renderer, Viewpoint
from estompe.render.drawers.copies import stand_ins_for
from estompe.shapes import primitives

SIZE = (200, 150)
FRONT = Viewpoint((0.4, 0.9, 3.0), (0.0, 0.0, 0.0), 40.0)
PLAIN = Look("shaded", still=False)


@pytest.fixture(scope="module")
def renderer():
    made = Renderer()
    yield made
    made.release()


def _copies(count=60, seed=1, forms=None, size=1.2):
    rng = np.random.default_rng(seed)
    forms = forms or (primitives.box((0.16, 0.08, 0.12), 1), primitives.sphere(0.07, 5))
    turned = np.linalg.qr(rng.normal(size=(count, 3, 3)))[0]
    turned *= np.sign(np.linalg.det(turned))[:, None, None]
    ids = np.arange(count)
    return Copies(
        forms, (ids % len(forms)).astype(np.int32), rng.uniform(-size, size, (count, 3)).astype(np.float32),
        turned.reshape(-1, 9).astype(np.float32), rng.uniform(0.5, 1.6, (count, 3)).astype(np.float32), ids,
        even_ranks(ids),
    )  # fmt: skip


def _real(copies):
    return Geometry(copies.points, copies.topology, copies.attributes, copies.at_rest)


def _differing(one, two, most=12):
    return np.mean(np.abs(one.astype(int) - two.astype(int)).max(axis=2) > most)


@pytest.mark.parametrize("mode", ["shaded", "strength", "wire", "pieces"])
def test_the_picture_is_that_of_the_real_mesh(renderer, mode):
    copies = _copies()
    strength = np.linspace(0, 1, 60, dtype=np.float32)
    real = _real(copies)
    on_points = strength[real.pieces.of]
    look = Look(mode, still=False)
    one = renderer.draw([Item("a", copies, (0.8, 0.7, 0.6), strength, strength)], FRONT, look, SIZE)
    two = renderer.draw([Item("b", real, (0.8, 0.7, 0.6), on_points, on_points)], FRONT, look, SIZE)
    # Rows multiplied in another place round differently where surfaces cross each other; the lines of a wire hit other pixels.
    assert _differing(one, two) < (0.02 if mode != "wire" else 0.06)
    assert np.ptp(one[..., 0]) > 60


def test_colours_of_copies_and_of_their_backs(renderer):
    copies = _copies(forms=(primitives.grid(0.3, 0.3, 1, 1),), count=40)
    red, blue = (np.tile(np.array([color], np.float32), (40, 1)) for color in ((1, 0, 0), (0, 0, 1)))
    colored = copies.with_attribute(Domain.PIECE, "color", red).with_attribute(Domain.PIECE, "back_color", blue)
    one = renderer.draw([Item("a", colored, (0.5, 0.5, 0.5))], FRONT, PLAIN, SIZE)
    reds = (one[..., 0] > 60) & (one[..., 2] < 20)
    blues = (one[..., 2] > 60) & (one[..., 0] < 20)
    assert reds.sum() > 100
    assert blues.sum() > 100
    around = Viewpoint((-0.4, -0.9, -3.0), (0.0, 0.0, 0.0), 40.0)
    two = renderer.draw([Item("a", colored, (0.5, 0.5, 0.5))], around, PLAIN, SIZE)
    assert ((two[..., 2] > 60) & (two[..., 0] < 20)).sum() > 100


def test_hidden_copies_are_not_drawn(renderer):
    copies = _copies()
    none = renderer.draw([Item("a", copies.showing(np.zeros(60, bool)), (1, 0, 0))], FRONT, PLAIN, SIZE)
    assert np.ptp(none.reshape(-1, 4), axis=0).max() == 0


def test_the_copy_under_a_pixel_is_the_one_nearest_along_its_ray(renderer):
    """Against the real mesh, whose triangles tell their pieces."""
    copies = _copies(200)
    real = _real(copies)
    found = 0
    for x in range(5, 200, 13):
        for y in range(5, 150, 13):
            one = renderer.pick([Item("a", copies, (1, 1, 1))], FRONT, SIZE, x, y)
            two = renderer.pick([Item("b", real, (1, 1, 1))], FRONT, SIZE, x, y)
            assert (one is None) == (two is None)
            if one is not None:
                found += 1
                assert one.copy == real.pieces.of[real.topology.triangles[two.triangle, 0]]
                corners = copies.triangle_corners(one.triangle, one.copy)
                assert corners == pytest.approx(real.points[real.topology.triangles[two.triangle]], abs=1e-5)
    assert found > 30


def test_what_lies_outside_of_the_picture_is_left_out_and_nothing_else(renderer):
    copies = _copies(6000, size=8.0)
    few = Viewpoint((0.0, 0.0, 9.0), (0.0, 0.0, 0.0), 10.0)
    one = renderer.draw([Item("a", copies, (0.8, 0.7, 0.6))], few, PLAIN, SIZE)
    two = renderer.draw([Item("b", _real(copies), (0.8, 0.7, 0.6))], few, PLAIN, SIZE)
    assert _differing(one, two) < 0.02


def test_small_copies_have_stand_ins_only_where_that_is_asked_for(renderer):
    copies = _copies(600, size=3.0)
    far = Viewpoint((0.0, 2.0, 16.0), (0.0, 0.0, 0.0), 30.0)
    items = [Item("a", copies, (0.8, 0.3, 0.2))]
    whole = renderer.draw(items, far, PLAIN, SIZE)
    assert renderer.stood_in == 0
    simple = renderer.draw(items, far, Look("shaded", still=False, stand_ins=2000), SIZE)
    assert renderer.stood_in > 500
    drawn, stood_in = (np.abs(picture[..., 0].astype(int) - picture[0, 0, 0]).mean() for picture in (whole, simple))
    assert stood_in == pytest.approx(drawn, rel=0.45)  # about as much is seen
    near = Viewpoint((0.0, 0.5, 3.0), (0.0, 0.0, 0.0), 30.0)
    close = [Item("a", _copies(30, size=0.5), (0.8, 0.3, 0.2))]
    # As long as there are triangles to spend, what is large is whole.
    assert np.array_equal(
        renderer.draw(close, near, PLAIN, SIZE),
        renderer.draw(close, near, Look("shaded", still=False, stand_ins=100_000), SIZE),
    )
    again = renderer.draw(items, far, PLAIN, SIZE)
    assert np.array_equal(again, whole)


@pytest.mark.parametrize("triangles", [500, 5_000, 50_000])
def test_no_more_triangles_are_drawn_than_may_be(triangles):
    copies = _copies(4000, size=3.0, forms=(primitives.sphere(0.1, 6),))
    view = Viewpoint((0.0, 2.0, 12.0), (0.0, 0.0, 0.0), 30.0)
    matrices = view.view(), view.projection(1.5, 20.0)
    found = stand_ins_for(copies, *matrices, 600, triangles)
    whole = (found.pixels >= found.forms).sum() * len(copies.forms[0].topology.triangles)
    boxes = ((found.pixels < found.forms) & (found.pixels >= found.boxes)).sum() * 12
    assert whole + boxes <= triangles
    if whole:
        assert found.pixels[found.pixels >= found.forms].min() >= found.pixels[found.pixels < found.forms].max()


def test_a_picture_of_unmoved_copies_sends_nothing_again(renderer):
    items = [Item("a", _copies(), (0.8, 0.7, 0.6))]
    renderer.draw(items, FRONT, PLAIN, SIZE)
    renderer.draw(items, Viewpoint((1.0, 0.9, 3.0), (0.0, 0.0, 0.0), 40.0), PLAIN, SIZE)
    assert renderer.uploads == []


def test_values_of_faces_are_drawn_face_by_face(renderer):
    sheet = primitives.grid(2.0, 2.0, 4, 4)
    above = Viewpoint((0.0, 4.0, 0.001), (0.0, 0.0, 0.0), 30.0)
    strength = np.zeros(16, np.float32)
    strength[5] = 1.0
    picture = renderer.draw(
        [Item("a", sheet, (1, 1, 1), strength, strength)], above, Look("strength", still=False), (120, 120)
    )
    dark = picture[..., 0].astype(int) < 110
    rows, columns = np.nonzero(dark)
    assert 300 < dark.sum() < 1500
    # One square with straight sides: nothing is blended into its neighbours.
    assert dark[rows.min() : rows.max() + 1, columns.min() : columns.max() + 1].mean() > 0.97


def test_lines_are_drawn_one_pixel_wide(renderer):
    from estompe.geometry.topology import Lines, Topology

    points = np.array([[-1, 0, 0], [0, 0.4, 0], [1, 0, 0]], np.float32)
    lines = Lines(np.arange(3, dtype=np.int32), np.array([0, 3], np.int32))
    made = Geometry(points, Topology(np.zeros(0, np.int32), np.zeros(1, np.int32), 3, None, lines))
    picture = renderer.draw([Item("a", made, (1.0, 0.0, 0.0))], FRONT, PLAIN, SIZE)
    drawn = np.abs(picture[..., 1].astype(int) - picture[0, 0, 1]) > 30
    assert 100 < drawn.sum() < 400


def test_a_picture_of_many_copies_can_be_stopped_in_between(renderer):
    class StopError(Exception):
        pass

    def stop():
        raise StopError

    items = [Item("a", _copies(30_000, size=6.0), (0.8, 0.7, 0.6))]
    far = Viewpoint((0.0, 2.0, 16.0), (0.0, 0.0, 0.0), 30.0)
    with pytest.raises(StopError):
        renderer.draw(items, far, PLAIN, SIZE, stop)
    whole = renderer.draw(items, far, PLAIN, SIZE)
    calls = []
    assert np.array_equal(renderer.draw(items, far, PLAIN, SIZE, lambda: calls.append(1)), whole)
    assert len(calls) >= 2


def test_backs_show_from_inside_a_copy(renderer):
    """Nothing is left out that could be seen."""
    big = _copies(1, forms=(primitives.sphere(2.0, 8),), size=0.0)
    inside = Viewpoint((0.0, 0.0, 0.1), (0.0, 0.0, -1.0), 60.0)
    picture = renderer.draw([Item("a", big, (0.8, 0.2, 0.2))], inside, PLAIN, SIZE)
    assert (picture[..., 0] > picture[..., 1].astype(int) + 20).mean() > 0.99
