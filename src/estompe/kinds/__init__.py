"""All that a source, effect or shape of one's own imports; these names stay as they are between versions.

A plug-in is a package whose `pyproject.toml` names its module under the entry point group `estompe.kinds`; importing that module
registers its kinds. Their tags begin with the plug-in's name, such as `acme:push`. `estompe.testing.check_kind` tests them.
"""

from estompe.geometry import Domain, Geometry, GeometryError
from estompe.geometry.carrying import Carries
from estompe.geometry.elements import Elements
from estompe.geometry.random import random_of
from estompe.geometry.samples import Samples, converted, samples_of
from estompe.geometry.topology import Topology
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError, Context
from estompe.kinds.kind import EVERY_ELEMENT, ActsOn, Effect, Join, PosedJoint, ShapeSource, Shell, Source
from estompe.kinds.numbers import Number, Triple, plain, plain_triple
from estompe.kinds.registry import register
from estompe.kinds.remembering import Remembered, RememberingEffect, RememberingSource, Seen, Since, Values
from estompe.kinds.settings import rgb, setting, whole

__all__ = [
    "EVERY_ELEMENT",
    "ActsOn",
    "CannotEvaluateError",
    "Carries",
    "Context",
    "Domain",
    "Effect",
    "Elements",
    "Floats",
    "Geometry",
    "GeometryError",
    "Indices",
    "Join",
    "Number",
    "PosedJoint",
    "Remembered",
    "RememberingEffect",
    "RememberingSource",
    "Samples",
    "Seen",
    "ShapeSource",
    "Shell",
    "Since",
    "Source",
    "Topology",
    "Triple",
    "Values",
    "converted",
    "plain",
    "plain_triple",
    "random_of",
    "register",
    "rgb",
    "samples_of",
    "setting",
    "whole",
]
