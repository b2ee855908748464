"""A shot is imported by reference, its boat gets an effect, and only what differs is written as an over."""

import sys
from pathlib import Path

import estompe as es
from estompe.samples.storm_crossing import STAGE

out = Path(sys.argv[1])
scene = es.Scene()
shapes = scene.import_shot(STAGE)
hull = next(shape for shape in shapes if "hull" in shape.name.lower())
wave = scene.falloff("Wave").add(es.Height()).fit(hull)
hull.add(es.Push(0.02), by=wave)
first = scene.project.scene.first
scene.bake(out / "boat-over.usda", frames=(first, first + 3), only=[hull], over=True)
