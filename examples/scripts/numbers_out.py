"""Positions and strengths of every frame as NumPy arrays."""

import sys
from pathlib import Path

import numpy as np

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene(last=12)
sail = scene.shape("grid", name="Sail")
gull = scene.control(name="Gull", position=es.keys({1: (-1.0, 0.2, 0.0), 12: (1.0, 0.2, 0.0)}))
near = scene.falloff("Near the gull").add(es.Distance(gull)).range(0.1, 0.6)
sail.add(es.Move((0.0, -0.2, 0.0)), by=near)
frames = [scene.evaluate(number) for number in range(1, 13)]
points = np.stack([frame["Sail"].points for frame in frames])
strength = np.stack([frame.strength("Sail", "Near the gull") for frame in frames])
np.savez(out / "sail.npz", points=points, strength=strength)
print(f"{points.shape[0]} frames of {points.shape[1]} points, strongest {strength.max():.2f}")
