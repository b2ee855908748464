"""Branches in scenes: over what deforms and moves, from controls, paths and elements; grown, thinned out, covered, with buds."""

import numpy as np
import pytest
from pxr import Usd, UsdGeom
from tests.remembering import AS_IT_IS, SAME, source

from estompe.document import edits, file
from estompe.document.project import Project
from estompe.document.scene import Control, EffectSlot, Falloff, Layer, Route, Scene, Shape, Transform
from estompe.effects.color import Color
from estompe.effects.hide import Hide
from estompe.effects.move import Move
from estompe.effects.push import Push
from estompe.effects.skin import Skin
from estompe.effects.sprout import Sprout
from estompe.evaluation import CancelledError, Memo, evaluate
from estompe.exchange.writers import usd
from estompe.falloffs.loose import LoosePieces
from estompe.geometry import Domain
from estompe.kernels.compile import use_threads
from estompe.kinds.numbers import Key, Keyed
from estompe.shapes.branches_space import BranchesThroughSpace
from estompe.shapes.branches_surface import BranchesOverSurface
from estompe.shapes.copies_buds import BudsOnBranches
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid
from estompe.shapes.octahedron import Octahedron
from estompe.shapes.sphere import Sphere


def _says(name, formula):
    return Falloff(name, name.title(), (Layer(f"{name}-layer", source("formula", formula)),), AS_IT_IS, SAME)


def _veins(sprout=None, routes=(), over=None, effects=(), falloffs=(), place=None, more=(), controls=(), **numbers):
    """Branches over a ball."""
    ball = Shape("ball", "Ball", Sphere(0.5, 16), place or Transform(), effects)
    slots = () if sprout is None else (EffectSlot("sprout", sprout, routes),)
    branches = over or BranchesOverSurface(surface="ball", twigs=400, **numbers)
    veins = Shape("veins", "Veins", branches, effects=slots)
    return Project(Scene((ball, veins, *more), controls, falloffs, first=1, last=101))


def _frame(project, number=1, memo=None):
    frame = evaluate(project, number, memo)
    assert not [problem.text for problem in frame.problems]
    return frame


def _spine(mesh):
    return mesh.points[: len(mesh.topology.branching.parent)]


def _width(mesh):
    return mesh.attribute(Domain.POINT, "width")[: len(mesh.topology.branching.parent)]


def test_branches_ride_on_what_they_grow_over():
    still = _frame(_veins())["veins"]
    pushed = _frame(_veins(effects=(EffectSlot("push", Push(0.2)),)))["veins"]
    assert pushed.topology.branching.parent is not still.topology.branching.parent
    assert np.array_equal(pushed.topology.branching.parent, still.topology.branching.parent)
    # A ball pushed along its normals is a larger ball.
    radii = [np.linalg.norm(_spine(mesh).astype(np.float64), axis=1) for mesh in (still, pushed)]
    assert np.abs(radii[1] / radii[0] - 1.4).max() < 2e-3
    place = Transform((1.0, 2.0, 3.0), (0.0, 90.0, 0.0), (2.0, 2.0, 2.0))
    moved = _frame(_veins(place=place, step=0.012, gap=0.01))["veins"]
    plain = _frame(_veins(step=0.006, gap=0.005))["veins"]
    turned = 2.0 * plain.points[:, [2, 1, 0]] * (1.0, 1.0, -1.0) + (1.0, 2.0, 3.0)
    assert np.abs(moved.points - turned).max() < 1e-5


def test_they_follow_a_body_through_space_and_stay_inside_it():
    place = Transform((Keyed((Key(1, 0.0, "linear"), Key(11, 1.0, "linear"))), 0.0, 0.0))
    project = _veins(over=BranchesThroughSpace(inside="ball", twigs=300), place=place)
    memo = Memo()
    first, last = (_frame(project, number, memo)["veins"] for number in (1, 11))
    assert last.topology is first.topology
    assert np.abs(last.points - first.points - (1.0, 0.0, 0.0)).max() < 1e-6
    assert np.linalg.norm(first.points, axis=1).max() <= 0.5


def test_they_begin_at_a_control_each_point_of_a_path_and_the_elements_that_are_left():
    top = Control("top", "Top", transform=Transform((0.0, 0.9, 0.0)))
    path = Control("path", "Path", "path", points=((0.6, 0.0, 0.0), (-0.6, 0.0, 0.0), (0.0, 0.0, 0.6)))

    def begins(origin=None, origins=None, more=(), falloffs=()):
        over = BranchesOverSurface(surface="ball", twigs=200, origin=origin, origins=origins)
        mesh = _frame(_veins(over=over, controls=(top, path), more=more, falloffs=falloffs))["veins"]
        return np.unique(_spine(mesh)[mesh.topology.branching.parent < 0].round(3), axis=0)

    assert np.allclose(begins("top"), [[0.0, 0.5, 0.0]], atol=2e-3)
    assert len(begins("path")) == 3
    assert begins()[0, 1] == pytest.approx(-0.5, abs=2e-3)
    seeds = CopiesOnGrid(form="seed", columns=4, rows=4, size=(0.6, 0.0, 0.6))
    hide = EffectSlot("hide", Hide(), (Route("right"),), acts_on="pieces")
    more = (
        Shape("seed", "Seed", Octahedron(0.02), visible=False),
        Shape("seeds", "Seeds", seeds, Transform((0.0, 0.6, 0.0)), (hide,)),
    )
    kept = begins(origins="seeds", more=more, falloffs=(_says("right", "if(x > 0, 1, 0)"),))
    assert len(kept) == 8
    assert (kept[:, 0] < 0.0).all()


def test_there_are_words_where_it_cannot_be():
    nothing = _veins(over=BranchesOverSurface(surface="gone"))
    assert "not in the scene any more" in evaluate(nothing, 1).problems[0].text
    flat = Shape("sheet", "Sheet", Grid(1.0, 1.0, 4, 4))
    inside = _veins(over=BranchesThroughSpace(inside="sheet"), more=(flat,))
    assert "open edges" in evaluate(inside, 1).problems[0].text
    far = _veins(over=BranchesThroughSpace(inside="ball", twigs=300, leap=0.001))
    assert "were not come to" in evaluate(far, 1).problems[0].text
    many = _veins(over=BranchesOverSurface(surface="ball", origins="crowd"), more=(
        Shape("crowd", "Crowd", Grid(1.0, 1.0, 40, 40)),
    ))  # fmt: skip
    assert "grow from 1,681 places, more than 1,000" in evaluate(many, 1).problems[0].text


def test_on_what_has_no_branches_nothing_happens_and_the_card_says_so():
    for effect in (Sprout(), Skin()):
        project = Project(Scene((Shape("ball", "Ball", Sphere(0.5, 6), effects=(EffectSlot("one", effect),)),)))
        mesh = _frame(project)["ball"]
        assert np.array_equal(
            mesh.points, _frame(Project(Scene((Shape("ball", "Ball", Sphere(0.5, 6)),))))["ball"].points
        )
        assert "there are no" in type(effect).summary(mesh)


def test_growth_is_keyed_and_the_topology_stays():
    sprout = Sprout(grown=Keyed((Key(1, 0.0, "linear"), Key(101, 1.0, "linear"))))
    project, memo = _veins(sprout), Memo()
    meshes = [_frame(project, number, memo)["veins"] for number in (1, 31, 61, 101)]
    assert all(mesh.topology is meshes[0].topology for mesh in meshes)
    reached = [(_width(mesh) > 0.0).sum() for mesh in meshes]
    assert reached[0] == 0
    assert reached == sorted(reached)
    assert (_width(meshes[3]) > 0.0).all()
    assert np.array_equal(_spine(meshes[3]), _frame(_veins())["veins"].points)
    assert "400 twigs" in Sprout.summary(meshes[0])


def test_ends_swell_and_lines_have_no_faces():
    routes = ()
    plain = _frame(_veins(Sprout(width=0.02), routes))["veins"]
    assert _width(plain).min() == pytest.approx(0.02, rel=1e-5)
    half = (_says("half", "0.5"),)
    swollen = _frame(_veins(Sprout(width=0.02, swollen_by="half", swell=3.0), falloffs=half))["veins"]
    assert np.allclose(_width(swollen), 2.0 * _width(plain), rtol=1e-5)
    lines = _frame(_veins(Sprout(width=0.02, drawn="lines")))["veins"]
    assert lines.topology.faces == 0
    assert np.array_equal(lines.points, _spine(plain))
    quarter = Sprout(grown=0.25, taper=0.001, hastened_by="half", haste=3.0)
    assert (_width(_frame(_veins(quarter, falloffs=half))["veins"]) > 0).sum() == pytest.approx(
        (_width(_frame(_veins(Sprout(grown=0.25, taper=0.001)))["veins"]) > 0).sum(), rel=0.02
    )


def test_a_falloff_thins_out_and_its_own_attributes_can_be_measured():
    right = (_says("right", "if(x > 0, 1, 0)"),)
    mesh = _frame(_veins(Sprout(), (Route("right"),), falloffs=right))["veins"]
    tips = mesh.topology.branching.tips
    there = _width(mesh)[tips] > 0.0
    x = _frame(_veins())["veins"].points[tips, 0]
    assert there[x > 0.0].all()
    assert there[x < 0.0].mean() < 0.5
    young = Falloff("young", "Young", (Layer("past", LoosePieces("grown")),), AS_IT_IS, SAME)
    project = _veins(Sprout(grown=0.5), falloffs=(young,))
    slot = EffectSlot("tint", Color((1.0, 0.0, 0.0)), (Route("young"),))
    scene = edits.insert(project.scene, ("shapes", "veins", "effects"), slot)
    colors = _frame(Project(scene))["veins"].attribute(Domain.POINT, "color")
    assert len(np.unique(colors[:, 1].round(3))) > 20


def test_what_deforms_before_and_after_keeps_branches_together():
    sprout = Sprout(drawn="lines")
    before = edits.insert(
        _veins(sprout).scene, ("shapes", "veins", "effects"), EffectSlot("move", Move((0.0, 1.0, 0.0))), 0
    )
    mesh = _frame(Project(before))["veins"]
    assert np.allclose(mesh.points, _frame(_veins(sprout))["veins"].points + (0.0, 1.0, 0.0), atol=1e-6)
    forks = mesh.topology.lines.offsets[:-1]
    parents = mesh.topology.branching.parent[forks]
    assert np.array_equal(mesh.points[forks[parents >= 0]], mesh.points[parents[parents >= 0]])


def test_a_skin_follows_and_carries_colours_and_buds_stand_on_it():
    sprout = EffectSlot("sprout", Sprout(grown=0.7, width=0.02))
    tint = EffectSlot("tint", Color((1.0, 0.0, 0.0)))
    bud = Shape("bud", "Bud", Octahedron(0.01), visible=False)
    buds = Shape("buds", "Buds", BudsOnBranches(form="bud", branches="veins", spacing=0.05, bare=1.0))
    scene = _veins(more=(bud, buds)).scene
    with_skin = edits.put(scene, ("shapes", "veins", "effects"), (sprout, EffectSlot("skin", Skin(voxel=0.01)), tint))
    without = edits.put(scene, ("shapes", "veins", "effects"), (sprout, tint))
    frame, plain = _frame(Project(with_skin)), _frame(Project(without))
    assert frame["veins"].topology.closed
    assert "voxels of 0.01 m" in Skin.summary(frame["veins"])
    assert np.allclose(frame["veins"].attribute(Domain.POINT, "color"), (1.0, 0.0, 0.0), atol=1e-6)
    assert np.array_equal(frame["buds"].positions, plain["buds"].positions)


def test_buds_stand_at_even_distances_and_open_behind_the_tip():
    bud = Shape("bud", "Bud", Octahedron(0.01), visible=False)

    def laid(share, **numbers):
        own = {"spacing": 0.05, "bare": 1.0, "delay": 0.1, "opening": 0.2} | numbers
        buds = Shape("buds", "Buds", BudsOnBranches(form="bud", branches="veins", **own))
        frame = _frame(_veins(Sprout(grown=share), more=(bud, buds)))
        return frame["veins"], frame["buds"]

    veins, whole = laid(4.0)
    way, offsets = veins.topology.branching.way, veins.topology.lines.offsets
    lengths = way[offsets[1:] - 1] - way[offsets[:-1]]
    assert len(whole.ids) == np.floor(lengths / 0.05 + 0.5).sum()
    assert whole.shown.all()
    assert np.allclose(whole.scales, 1.0)
    assert len(np.unique(whole.ids)) == len(whole.ids)
    _, early = laid(0.4)
    assert np.array_equal(early.ids, whole.ids)
    assert 0.05 < early.shown.mean() < 0.95
    sizes = early.scales[early.shown, 0]
    assert sizes.min() > 0.0
    assert ((sizes > 0.1) & (sizes < 0.9)).any()
    _, half = laid(4.0, chance=0.5)
    assert 0.35 < half.shown.mean() < 0.65
    _, leaning = laid(4.0, lean=90.0)
    spine = _spine(veins).astype(np.float64)
    along = np.gradient(spine, axis=0)
    nearest = np.linalg.norm(leaning.positions[:40, None] - spine[None], axis=2).argmin(axis=1)
    y = leaning.axes[:40].reshape(-1, 3, 3)[:, :, 1]
    straight = np.abs((y * along[nearest]).sum(axis=1)) / np.linalg.norm(along[nearest], axis=1)
    assert np.median(straight) < 0.2
    wrong = _veins(more=(bud, Shape("buds", "Buds", BudsOnBranches(form="bud", branches="ball"))))
    assert "choose a shape of branches" in evaluate(wrong, 1).problems[0].text


def test_the_same_bits_whatever_was_asked_before_and_on_any_number_of_threads():
    sprout = Sprout(grown=Keyed((Key(1, 0.0, "linear"), Key(101, 1.0, "linear"))))
    project, memo = _veins(sprout, over=BranchesThroughSpace(inside="ball", twigs=500)), Memo()
    kept = {number: evaluate(project, number, memo)["veins"].points for number in (80, 20, 50)}
    use_threads(1)
    try:
        for number, points in kept.items():
            assert np.array_equal(points, _frame(project, number)["veins"].points)
    finally:
        use_threads(0)


def test_curves_with_widths_are_written_and_the_scene_comes_back(tmp_path):
    sprout = Sprout(grown=Keyed((Key(1, 0.0, "linear"), Key(101, 1.0, "linear"))), width=0.02)
    project = _veins(sprout)
    file.save(project, tmp_path / "veins.estompe")
    assert file.load(tmp_path / "veins.estompe").scene == project.scene
    usd.write(project, 50, 52, tmp_path / "veins.usda")
    stage = Usd.Stage.Open(str(tmp_path / "veins.usda"))
    curves = [UsdGeom.BasisCurves(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.BasisCurves)]
    assert len(curves) == 1
    mesh = _frame(project, 51)["veins"]
    assert np.array_equal(np.asarray(curves[0].GetPointsAttr().Get(51)), _spine(mesh))
    assert np.allclose(np.asarray(curves[0].GetWidthsAttr().Get(51)), _width(mesh))
    assert not curves[0].GetCurveVertexCountsAttr().ValueMightBeTimeVarying()
    assert sum(curves[0].GetCurveVertexCountsAttr().Get(51)) == len(_spine(mesh))


def test_a_solve_that_is_no_longer_wanted_ends_soon_and_leaves_nothing_behind():
    many = BranchesOverSurface(surface="ball", twigs=20_000)
    project = _veins(over=many)
    asked = []

    def unwanted():
        asked.append(None)
        if len(asked) == 9:
            raise CancelledError

    memo = Memo()
    with pytest.raises(CancelledError):
        evaluate(project, 1, memo, unwanted)
    again = _frame(project, memo=memo)
    calls = []
    whole = evaluate(project, 1, pause=lambda: calls.append(None))
    assert len(calls) > 9, "it was asked while it was solved"
    assert np.array_equal(again["veins"].points, whole["veins"].points)
