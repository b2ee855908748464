"""What a scene is: frozen structs all the way down. Lengths are scene units, rotations degrees, times frames."""

from typing import Annotated, Literal

from msgspec import Meta, Struct

from estompe.kinds.context import ControlForm
from estompe.kinds.curve import Interpolation
from estompe.kinds.kind import ActsOn, Join
from estompe.kinds.numbers import Number, Triple
from estompe.kinds.part import Part
from estompe.kinds.registry import AnyEffect, AnyShapeSource, AnySource
from estompe.kinds.settings import rgb, setting, whole

Identifier = Annotated[str, Meta(min_length=1, max_length=64, pattern=r"^[a-z0-9-]+$")]
Name = Annotated[str, Meta(min_length=1, max_length=200, pattern=r"^(?![\s\S]*[\x00-\x1f\x7f-\x9f])")]
"""Without control characters: names go to terminals, logs and files of other programs."""
AssetName = Annotated[str, Meta(pattern=r"^[0-9a-f]{64}$")]
Color = tuple[float, float, float]

_ROTATION = "Degrees about X, then Y, then Z."


class Follow(Part):
    """What follows a prim of an animated file. file: as an absolute path; in scene files relative to the scene."""

    file: Annotated[str, setting("File", "The animated file.", editor="footage"), Meta(max_length=4096)]
    prim: Annotated[str, setting("Prim", "The prim of the file.", editor="prim"), Meta(max_length=4096)]


class Followed(Struct, frozen=True, cache_hash=True):
    """Where what is followed is on a frame: the rows of its matrix, and a camera's lens; a resolved scene has it.

    rows: local space to world, row by row. view_angle: the film's height in degrees; aspect: width through height; parallel: the
    height of what an orthographic camera sees, scene units, 0 for any other.
    """

    rows: tuple[float, ...]
    view_angle: float = 0.0
    aspect: float = 0.0
    offset: tuple[float, float] = (0.0, 0.0)
    clipping: tuple[float, float] | None = None
    parallel: float = 0.0


class Transform(Part):
    """Position, rotation and scale, on top of what is followed and within the parent."""

    position: Annotated[Triple, setting("Position", "The position, X Y Z.", unit="length")] = (0.0, 0.0, 0.0)
    rotation: Annotated[Triple, setting("Rotation", _ROTATION, unit="degrees", step=1.0)] = (0.0, 0.0, 0.0)
    scale: Annotated[Triple, setting("Scale", "The scale along X Y Z.", unit="times", step=0.01)] = (1.0, 1.0, 1.0)
    follows: Annotated[
        Follow | None, setting("Follow", "A prim of an animated file whose motion is added.", editor="follow")
    ] = None
    parent: Annotated[
        Identifier | None,
        setting(
            "Parent",
            "The control or shape whose position, rotation and scale are added.",
            refers="parent",
            editor="parent",
        ),
    ] = None


class Route(Part):
    """One falloff that drives an effect."""

    falloff: Annotated[Identifier, setting("Falloff", "The falloff that drives the effect.", refers="falloff")]
    amount: Annotated[
        Number,
        setting("Amount", "The share of the falloff's strength that drives the effect.", unit="fraction", step=0.01),
    ] = 1.0
    join: Annotated[Join, setting("Join", "How the route joins the ones before it.")] = "multiply"
    one_minus: Annotated[bool, setting("One minus", "Whether one minus the strength is used.")] = False


Tag = Literal["", "coral", "ochre", "moss", "sea", "plum"]
"""The colour that marks something in the Cast, "" for none."""


class Listing(Part):
    """How the Cast lists something. folder: the name of the folder it stands in, "" for none; locked: not picked in the view."""

    folder: Annotated[str, Meta(max_length=200, pattern=r"^[^\x00-\x1f\x7f-\x9f]*$")] = ""
    tag: Tag = ""
    locked: bool = False


OwnTime = Annotated[
    Number | None,
    setting(
        "Own frame",
        "The frame of itself that is shown: keyed to hold, slow or reverse it, or a formula such as frame - 12.",
        unit="frames",
        low=-100_000.0,
        high=100_000.0,
        editor="time",
    ),
]
"""The frame of itself that something shows."""


class EffectSlot(Part):
    """An effect in a shape's chain, and the falloffs that drive it; at full strength where there are none."""

    id: Identifier
    effect: AnyEffect
    routes: tuple[Route, ...] = ()
    enabled: bool = True
    acts_on: Annotated[
        ActsOn,
        setting(
            "Acts on",
            "The elements that get one strength each and move as a whole; pieces are copies, parts, cells, strands.",
        ),
    ] = "points"
    each: Annotated[
        bool,
        setting("Each by itself", "Whether the effect acts about each element's own middle and along its own axes."),
    ] = False


class Shape(Part):
    """Something to be seen and deformed."""

    id: Identifier
    name: Name
    source: AnyShapeSource
    transform: Transform = Transform()
    effects: tuple[EffectSlot, ...] = ()
    visible: bool = True
    color: Annotated[
        Color,
        rgb("Colour", "The colour where neither the mesh nor an effect has one: red, green and blue."),
    ] = (0.604, 0.554, 0.462)
    at_frame: OwnTime = None
    listing: Listing = Listing()


class Wind(Part):
    """How the air moves along a wind's arrow."""

    speed: Annotated[
        Number,
        setting(
            "Speed",
            "The speed of the air along the arrow, in scene units a second: more blows harder; a longer arrow, too.",
            unit="length",
            low=0.0,
            high=1e4,
            step=0.05,
        ),
    ] = 2.0
    gusts: Annotated[
        Number,
        setting(
            "Gusts",
            "How much the speed differs from place to place: more makes gusts stronger.",
            unit="fraction",
            low=0.0,
            high=4.0,
            step=0.01,
        ),
    ] = 0.5
    swirl: Annotated[
        Number,
        setting(
            "Swirl",
            "How much the air turns in eddies, beside its way along the arrow: more makes it more turbulent.",
            unit="fraction",
            low=0.0,
            high=4.0,
            step=0.01,
        ),
    ] = 0.0
    size: Annotated[
        float,
        setting(
            "Gust size",
            "The size of gusts and eddies: more moves larger parts together.",
            unit="length",
            low=1e-3,
            high=1e6,
        ),
    ] = 1.0
    pace: Annotated[
        float,
        setting(
            "Gusts travel",
            "The speed at which gusts travel along the arrow, in scene units a second: more changes them faster.",
            unit="length",
            low=0.0,
            high=1e4,
        ),
    ] = 1.5
    within: Annotated[
        Identifier | None,
        setting("Within", "A falloff that says where it blows; everywhere if none.", refers="falloff"),
    ] = None
    seed: Annotated[
        int, whole("Seed", "The start of the random numbers: another seed gives other gusts.", low=0, high=2**31 - 8)
    ] = 1


class Control(Part):
    """An object that falloffs look at, or a wind."""

    id: Identifier
    name: Name
    form: Annotated[ControlForm, setting("Form", "What distances are measured to; the shells keep this form.")] = (
        "sphere"
    )
    transform: Transform = Transform()
    visible: bool = True
    points: Annotated[
        tuple[Triple, ...],
        setting(
            "Points",
            "The points that the path runs through, in local space.",
            editor="points",
            when=("form", ("path",)),
        ),
        Meta(max_length=10_000),
    ] = ()
    at_frame: OwnTime = None
    listing: Listing = Listing()
    wind: Wind = Wind()


class RampPoint(Part):
    """A point of a ramp, and how the curve goes on to the next."""

    position: Annotated[
        Number,
        setting(
            "Position", "The position in the range: 0 at the full end, 1 at the gone end.", low=0.0, high=1.0, step=0.01
        ),
    ]
    value: Annotated[Number, setting("Strength", "The strength at this point.", step=0.01)]
    interpolation: Interpolation = "smooth"


Ramp = Annotated[tuple[RampPoint, ...], Meta(min_length=1, max_length=64)]
EASED: tuple[RampPoint, ...] = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))


class Range(Part):
    """The two values between which the ramp runs."""

    full: Annotated[Number, setting("Full within", "The value up to which the strength is full.", unit="length")] = 0.0
    gone: Annotated[Number, setting("Gone beyond", "The value from which the strength is zero.", unit="length")] = 1.0


class Layer(Part):
    """One thing that is measured, and how it joins the layers above it."""

    id: Identifier
    source: AnySource
    join: Annotated[Join, setting("Join", "How the layer joins the ones above it.")] = "multiply"
    one_minus: Annotated[bool, setting("One minus", "Whether one minus the values is used.")] = False
    range: Range | None = None
    ramp: Ramp | None = None
    enabled: bool = True


class Falloff(Part):
    """Layers joined into values, the range they are remapped through, and the ramp that makes them a strength."""

    id: Identifier
    name: Name
    layers: tuple[Layer, ...] = ()
    range: Range = Range()
    ramp: Ramp = EASED
    signed: Annotated[bool, setting("Signed", "Whether strengths below 0 and above 1 are kept.")] = False
    at_frame: Annotated[
        Number | None,
        setting(
            "Own frame",
            "The frame whose strength is used, keyed or a formula such as frame - 12; empty for the current one.",
            unit="frames",
            low=-100_000.0,
            high=100_000.0,
        ),
    ] = None
    passed: Annotated[
        Number | None,
        setting(
            "Passed",
            "The share of all measured values that the range has swept over: 0 % is none, 100 % is all of them.",
            unit="fraction",
            low=0.0,
            high=1.0,
        ),
    ] = None
    """Where it is set, only the width of the range counts."""
    listing: Listing = Listing()


class BakedState(Part):
    """What a kind with memory worked out, kept with the scene.

    digest: stands for all that led to it; asset: its bytes, stored beside the scene.
    """

    digest: Annotated[str, Meta(pattern=r"^[0-9a-f]{32}$")]
    asset: AssetName


class Camera(Part):
    """A camera of the shot. One that follows a prim has its lens and place from there; the numbers are for one that does not."""

    name: Name = "Shot"
    position: Annotated[Triple, setting("Position", "The position, X Y Z.", unit="length")] = (3.0, 2.0, 5.0)
    target: Annotated[Triple, setting("Target", "The point that the camera looks at, X Y Z.", unit="length")] = (
        0.0,
        0.6,
        0.0,
    )
    view_angle: Annotated[
        Number,
        setting("View angle", "The vertical angle of view: more shows more.", unit="degrees", low=1.0, high=150.0),
    ] = 32.0
    follows: Annotated[
        Follow | None, setting("Follow", "The camera of an animated file that is used.", editor="follow")
    ] = None


class Scene(Part):
    """Everything that is saved."""

    shapes: tuple[Shape, ...] = ()
    controls: tuple[Control, ...] = ()
    falloffs: tuple[Falloff, ...] = ()
    camera: Camera = Camera()
    """The one that is looked through."""
    frames_per_second: Annotated[
        float, setting("Rate", "The number of frames a second.", low=1.0, high=240.0), Meta(ge=1, le=240)
    ] = 24.0
    first: Annotated[int, whole("First", "The first frame of the shot.", unit="frames", low=-100_000, high=100_000)] = 1
    last: Annotated[int, whole("Last", "The last frame of the shot.", unit="frames", low=-100_000, high=100_000)] = 144
    states: tuple[BakedState, ...] = ()
    metres_per_unit: Annotated[
        float,
        setting("Metres per unit", "The length of one scene unit in metres.", low=1e-6, high=1e6),
        Meta(gt=0, le=1e6),
    ] = 1.0
    other_cameras: Annotated[tuple[Camera, ...], Meta(max_length=1000)] = ()


def seconds_at(scene: Scene, frame: float) -> float:
    """Return the time of a frame in seconds since the first frame of the shot."""
    return (frame - scene.first) / scene.frames_per_second
