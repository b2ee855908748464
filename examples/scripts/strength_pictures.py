"""A mask of noise over a float that one number sweeps, as pictures of its strength."""

import sys
from pathlib import Path

import estompe as es

out = Path(sys.argv[1])
scene = es.Scene(last=24)
ball = scene.shape("sphere", name="Float", radius=0.6)
mask = scene.falloff("Salt").add(es.Noise(1.0, 0.3, space="rest")).fit(ball)
mask.sweep(es.keys({1: 0.0, 24: 1.0}, "linear"))
ball.add(es.Displace(0.05), by=mask)
scene.render(out / "salt.####.png", frames=(10, 12), size=(160, 100), samples=1, falloff=mask)
