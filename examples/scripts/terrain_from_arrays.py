"""A mesh from a height field, weathered where it faces up."""

import sys
from pathlib import Path

import numpy as np

import estompe as es

out = Path(sys.argv[1])
side = 40
x, z = np.meshgrid(np.linspace(-1, 1, side), np.linspace(-1, 1, side))
height = 0.2 * np.sin(4 * x) * np.cos(3 * z)
points = np.stack([x, height, z], axis=-1).reshape(-1, 3)
corner = np.arange(side * (side - 1)).reshape(side - 1, side)[:, :-1].reshape(-1)
faces = np.stack([corner, corner + side, corner + side + 1, corner + 1], axis=1)
scene = es.Scene()
reef = scene.mesh(points, faces, name="Reef")
flat = scene.falloff("Faces up").add(es.Slope()).range(full=0.0, gone=50.0)
reef.add(es.Displace(0.05), by=flat)
moved = scene.evaluate(1)["Reef"].points - points
print(f"raised by up to {np.linalg.norm(moved, axis=1).max():.3f}")
scene.save(out / "reef.estompe")
