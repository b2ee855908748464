"""Settings that effects of moving things have in common: gravity, the ground, and controls in the way."""

from typing import Annotated

from estompe.kinds.numbers import Number, Triple
from estompe.kinds.settings import setting

Gravity = Annotated[
    Triple,
    setting(
        "Gravity",
        "The acceleration by gravity, X Y Z, in scene units a second squared: more pulls harder.",
        unit="length",
    ),
]
"""The setting `gravity`."""
EARTH = (0.0, -9.81, 0.0)
"""Gravity at first: metres a second squared."""
GroundHeight = Annotated[
    Number,
    setting(
        "Ground height",
        "The height of the ground: more raises it.",
        unit="length",
        when=("ground", ("level",)),
    ),
]
"""The setting `height`, beside one called `ground`."""
BodyRadius = Annotated[
    Number,
    setting(
        "Radius",
        "The radius of these controls' bodies, in their own units: more makes them larger.",
        unit="length",
        low=1e-4,
        high=1e6,
    ),
]
"""The setting `radius`, beside one called `controls`."""
