"""Adding an imported mesh to a project, and a camera that sees it."""

from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from estompe.document.edits import fresh_id, fresh_name, insert, names_of
from estompe.document.names import clean_name
from estompe.document.project import Project
from estompe.document.scene import Camera, Scene, Shape
from estompe.geometry import Geometry
from estompe.shapes.imported import stored


def with_mesh(project: Project, geometry: Geometry, path: Path) -> tuple[Project, str]:
    """Add a mesh to a project.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    geometry : Geometry
        The mesh.
    path : Path
        Its file, after which the shape is named.

    Returns
    -------
    Project, str
        The project, and the new shape's id.
    """
    mesh, assets = stored(geometry, clean_name(path.name))
    scene = project.scene
    shape = fresh_id(scene, "shape")
    name = fresh_name(names_of(scene), clean_name(path.stem, "Mesh")[:180])
    scene = insert(scene, ("shapes",), Shape(shape, name, mesh))
    return Project(scene, {**project.assets, **assets}), shape


def project_around(geometry: Geometry, path: Path) -> Project:
    """A new project with a mesh in it, and a camera that sees all of it."""
    project, _ = with_mesh(Project(Scene()), geometry, path)
    scene = project.scene
    low, high = geometry.bounds
    camera = framing(low.astype(np.float64), high.astype(np.float64), scene.camera)
    return project.with_scene(Scene(shapes=scene.shapes, camera=camera))


def framing(low: NDArray[np.float64], high: NDArray[np.float64], camera: Camera) -> Camera:
    """Place a camera in an oblique direction, so far away that a box fits in its picture.

    Parameters
    ----------
    low, high : float64 (3,)
        The corners of the box, world space.
    camera : Camera
        The camera whose other settings are kept.

    Returns
    -------
    Camera
        The placed camera.
    """
    centre = (low + high) / 2
    radius = max(1e-3, float(np.linalg.norm(high - low)) / 2)
    direction = np.array([0.45, 0.32, 0.83])
    position = centre + direction / np.linalg.norm(direction) * radius * 3.9
    return Camera(
        camera.name,
        (float(position[0]), float(position[1]), float(position[2])),
        (float(centre[0]), float(centre[1]), float(centre[2])),
        32.0,
    )
