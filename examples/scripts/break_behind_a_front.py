"""A bell breaks where the tide has passed, and its shards drift."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene(last=72)
bell = scene.shape("sphere", name="Bell", radius=0.5)
tide = scene.control("plane", name="Tide", position=es.keys({1: (0.0, 0.7, 0.0), 60: (0.0, -0.7, 0.0)}, "linear"))
under = scene.falloff("Under the tide").add(es.Sweep(tide)).range(full=-0.3, gone=0.1)
bell.add(es.Fracture(cells=60), es.ScatterApart((0.0, -0.3, 0.0), (0.1, 0.1, 0.1)), by=under)
frame = scene.evaluate(40)
print(f"{len(frame['Bell'].pieces)} shards, {frame.strength('Bell', 'Under the tide').mean():.2f} of them under the tide")
scene.save(out / "shards.estompe")
