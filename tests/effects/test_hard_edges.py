"""Every effect on a mesh with hard edges: what is shaded always belongs to the mesh, and faces that stay flat are shaded flat."""

import numpy as np
import pytest

from estompe.baking.states import past_of
from estompe.document.project import Project
from estompe.document.scene import Falloff, Layer, Range, Scene, Shape
from estompe.evaluation import evaluate
from estompe.falloffs.distance import Distance
from estompe.geometry.copies import Copies
from estompe.kinds.kind import Effect
from estompe.kinds.registry import kinds
from estompe.setups.adding import add_control, add_effect
from estompe.shapes.box import Box

pytestmark = pytest.mark.thorough

EVERY = sorted(kinds(Effect))
# What keeps faces flat whatever the falloff: whole pieces move, faces go, or nothing moves at all.
FLAT = ("group", "color", "hide", "separate", "fracture")


def scene_with(tag: str, reach: float) -> Scene:
    """A box of 3 x 3 quads a side under an effect; the falloff fades from one corner."""
    scene = Scene((Shape("crate", "Crate", Box(1.0, 1.0, 1.0, 3)), Shape("other", "Other", Box(0.6, 0.6, 0.6, 2))))
    scene, lamp = add_control(scene)
    near = Falloff("near", "Near", (Layer("near", Distance(lamp)),), Range(0.0, reach))
    scene = Scene(scene.shapes, scene.controls, (near,))
    made, _ = add_effect(scene, "crate", tag, "near")
    return made


def checked(mesh) -> None:
    """What must hold of any mesh that is shaded."""
    normals, corners = mesh.shaded_normals, mesh.corner_normals
    assert np.isfinite(normals).all()
    lengths = np.linalg.norm(corners, axis=1)
    assert np.allclose(lengths[lengths > 0], 1.0, atol=1e-4)
    shading = mesh.shading
    if shading is None:
        assert normals is mesh.normals
        return
    assert len(normals) == len(shading.sources) == shading.topology.points
    assert np.array_equal(shading.sources[shading.topology.corners], mesh.topology.corners)
    assert np.array_equal(shading.sources[shading.first], np.arange(len(mesh.points)))
    assert np.array_equal(np.unique(shading.sources), np.arange(len(mesh.points)))


@pytest.mark.parametrize("tag", EVERY)
def test_what_is_shaded_belongs_to_the_mesh(tag, tmp_path):
    project = Project(scene_with(tag, 2.0))
    past = past_of(project, tmp_path)
    for frame in (1, 4):
        mesh = evaluate(project, frame, past.memo, None, past)["crate"]
        if isinstance(mesh, Copies):
            mesh = mesh.forms[0]
        if len(mesh.points) and mesh.topology.faces:
            checked(mesh)


@pytest.mark.parametrize("tag", FLAT)
def test_flat_faces_stay_flat(tag):
    mesh = evaluate(Project(scene_with(tag, 1.2)), 1)["crate"]
    faces = mesh.topology.face_normals(mesh.points)
    faces = faces / np.maximum(np.linalg.norm(faces, axis=1, keepdims=True), 1e-12)
    cosine = np.einsum("ij,ij->i", mesh.corner_normals, faces[mesh.topology.corner_faces])
    # A sliver of a cut has no direction worth comparing.
    sizes = np.linalg.norm(mesh.topology.face_normals(mesh.points), axis=1)[mesh.topology.corner_faces]
    assert (cosine[sizes > 1e-4] > 0.999).all()


def test_a_box_is_shaded_flat_and_pushed_as_one_skin():
    """Points on edges are one: pushing along normals opens nothing."""
    mesh = evaluate(Project(scene_with("push", 50.0)), 1)["crate"]
    assert mesh.topology.closed
    assert len(mesh.shading.sources) > len(mesh.points)
    low, high = mesh.bounds
    assert (high - low > 1.0).all()
