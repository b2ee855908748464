"""Stones lie on a quay, fewer away from the water."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene()
quay = scene.shape("grid", name="Quay")
stone = scene.shape("sphere", name="Stone", radius=0.03).show(False)
stones = scene.shape("copies-scatter", name="Stones", form=stone, surface=quay, count=300)
water = scene.control("path", name="Water line", points=[(-1.0, 0.0, 1.0), (0.0, 0.0, 0.8), (1.0, 0.0, 1.0)])
near = scene.falloff("Near the water").add(es.Distance(water)).range(full=0.2, gone=1.2)
stones.add(es.Hide(how="share"), by=near)
print(f"{scene.evaluate(1)['Stones'].count} stones")
scene.save(out / "stones.estompe")
