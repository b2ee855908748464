"""Pennants that follow the first one by formulas, and a lamp that rides on the mast."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene(last=48)
mast = scene.control("cylinder", name="Mast", rotation=es.keys({1: (0, 0, -8), 24: (0, 0, 8), 48: (0, 0, -8)}))
first = scene.shape("box", name="Pennant 1", position=(0.0, 1.0, 0.0), parent=mast)
for number in (2, 3):
    after = es.formula(f"'Pennant {number - 1}'.position.y - 0.3")
    scene.shape("box", name=f"Pennant {number}", position=(0.0, after, 0.0), parent=mast)
lamp = scene.control(name="Lamp", position=(0.0, 1.4, 0.0), parent=mast)
frame = scene.evaluate(24)
print([round(float(frame[f"Pennant {n}"].points[:, 1].mean()), 3) for n in (1, 2, 3)])
scene.save(out / "mast.estompe")
