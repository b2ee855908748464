"""An octopus arm flexes at its joints; veins rise only where it bends, and only while it does."""

import estompe.falloffs  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.document.scene import Camera, EffectSlot, Falloff, Layer, RampPoint, Range, Route, Scene, Shape
from estompe.effects.color import Color
from estompe.effects.joints import Joint, Joints
from estompe.effects.push import Push
from estompe.falloffs.joint_bend import JointBend
from estompe.falloffs.noise import Noise
from estompe.kinds.numbers import Formula, Key, Keyed, Number
from estompe.shapes.lathe import Lathe

_ARM = ((0.0, 0.0), (0.2, 0.0), (0.24, 0.05), (0.21, 0.5), (0.16, 1.1), (0.10, 1.7), (0.05, 2.2), (0.0, 2.4))


def build(density: float = 1.0) -> Project:
    """The sample's project. density: how finely the meshes are divided."""
    swing = Keyed((Key(1, 0.0), Key(36, 72.0), Key(72, 8.0), Key(108, 80.0), Key(130, 0.0)))
    effects = (
        EffectSlot("chain", Joints(_joints(swing), 0.28)),
        EffectSlot("rise", Push(0.022), (Route("veins"),)),
        EffectSlot("flush", Color((0.147, 0.01, 0.0153)), (Route("veins"),)),
    )
    arm = Shape(
        "arm",
        "Arm",
        Lathe(_ARM, round(150 * density**0.5), round(260 * density**0.5)),
        effects=effects,
        color=(0.57, 0.342, 0.253),
    )
    steep = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))
    veins = Falloff(
        "veins",
        "Veins",
        (
            Layer("elbow", JointBend("chain", 2), range=Range(70.0, 6.0), ramp=steep),
            Layer("wrist", JointBend("chain", 3), join="larger", range=Range(60.0, 6.0), ramp=steep),
            Layer("net", Noise(1.0, 0.11, 2, 0.5, space="rest", pattern="cellular", cells="second minus nearest",
                               floor=-1.0, ceiling=0.1, centred=False, invert=True), join="multiply"),
        ),
        Range(0.8, 0.25),
    )  # fmt: skip
    camera = Camera("Shot 11", (0.5, 1.3, 4.3), (-0.45, 0.85, 0.0), 32.0)
    return Project(Scene((arm,), (), (veins,), camera, first=1, last=130))


def _joints(swing: Number) -> tuple[Joint, ...]:
    return (
        Joint("root", "Root", (0.0, 0.0, 0.0)),
        Joint("elbow", "Elbow", (0.0, 0.75, 0.0), (0.0, 0.0, swing)),
        Joint(
            "wrist",
            "Wrist",
            (0.0, 1.5, 0.0),
            (0.0, Formula("Elbow.rotation.z * 0.4"), Formula("Elbow.rotation.z * 0.8")),
        ),
        Joint("tip", "Tip", (0.0, 2.4, 0.0)),
    )
