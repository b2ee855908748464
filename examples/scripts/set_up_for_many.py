"""A set-up that is kept once and put on shapes of other sizes."""

import sys
from pathlib import Path

import estompe as es
from estompe.setups import own

out = Path(sys.argv[1])
first = es.Scene()
lamp = first.shape("sphere", name="Lamp", radius=0.3)
hand = first.control(name="Hand", position=(0.3, 0.1, 0.0))
near = first.falloff("Near the hand").add(es.Distance(hand)).range(0.05, 0.3)
lamp.add(es.Push(0.05), by=near)
bounds = first.evaluate(1)["Lamp"].bounds
own.file.save(own.gathered(first.project, lamp.path[1], *bounds), out / "bulge-near.estompe")

scene = es.Scene()
buoys = [scene.shape("sphere", name=f"Buoy {n}", radius=0.2 * n, position=(2.0 * n, 0.0, 0.0)) for n in (1, 2, 3)]
scene.apply(out / "bulge-near.estompe", buoys)
print(f"{len(scene.falloffs)} falloffs on {len(buoys)} buoys, full within {[scene[f'{f.name}.full'] for f in scene.falloffs]}")
scene.save(out / "buoys.estompe")
