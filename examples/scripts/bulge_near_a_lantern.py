"""A lantern passes an amphora, which bulges towards it."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene(fps=24, first=1, last=48)
amphora = scene.shape("lathe", name="Amphora")
lantern = scene.control("sphere", name="Lantern", position=es.keys({1: (-1.0, 0.6, 0.4), 48: (1.0, 0.6, 0.4)}))
glow = scene.falloff("Lantern glow").add(es.Distance(lantern)).range(full=0.2, gone=0.8)
amphora.add(es.Push(0.12), by=glow)
scene.save(out / "bulge.estompe")
scene.bake(out / "bulge.usdc", frames=(1, 12))
