"""One scene in three variations, and what differs between them in words."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene()
rock = scene.shape("box", name="Rock")
rock.add(es.Fracture(cells=40))
first = es.Scene.of(scene.project)
for seed in (1, 2, 3):
    scene["Rock.Fracture.seed"] = seed
    scene.save(out / f"rock-{seed}.estompe")
print("; ".join(es.diff(first, scene)))
