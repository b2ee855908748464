"""What a scene is: frozen structs all the way down. Lengths are scene units, turns degrees, times frames."""

from typing import Annotated, Literal

from msgspec import Meta, Struct

from estompe.document.curve import Shape as CurveShape
from estompe.document.kinds import EffectSettings, Source
from estompe.document.numbers import Number, Triple
from estompe.document.settings import setting

Identifier = Annotated[str, Meta(min_length=1, max_length=64, pattern=r"^[a-z0-9-]+$")]
Name = Annotated[str, Meta(min_length=1, max_length=200)]
BlobName = Annotated[str, Meta(pattern=r"^[0-9a-f]{64}$")]
Join = Literal["multiply", "add", "subtract", "larger", "smaller", "replace"]
ControlForm = Literal["ball", "box", "plane", "cylinder", "path"]
Color = tuple[float, float, float]

_TURN = "Degrees about X, then Y, then Z."


class Placement(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """Where something stands, how it is turned and how large it is."""

    place: Annotated[Triple, setting("Place", "Where it stands, X Y Z.", unit="length")] = (0.0, 0.0, 0.0)
    turn: Annotated[Triple, setting("Turn", _TURN, unit="degrees", step=1.0)] = (0.0, 0.0, 0.0)
    size: Annotated[Triple, setting("Size", "Times its own size along X Y Z.", unit="times", step=0.01)] = (
        1.0,
        1.0,
        1.0,
    )


_DIVISIONS = Meta(ge=1, le=2000)


class Ball(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="ball", tag_field="kind"):
    """A ball of even quads."""

    radius: Annotated[float, setting("Radius", "From its centre.", unit="length", low=1e-6, high=1e6)] = 0.5
    divisions: Annotated[
        int, setting("Divisions", "Quads along an edge of the cube it is made from.", low=1, high=2000), _DIVISIONS
    ] = 24


class Grid(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="grid", tag_field="kind"):
    """A flat sheet facing up."""

    width: Annotated[float, setting("Width", "Along X.", unit="length", low=1e-6, high=1e6)] = 2.0
    depth: Annotated[float, setting("Depth", "Along Z.", unit="length", low=1e-6, high=1e6)] = 2.0
    columns: Annotated[int, setting("Columns", "Quads along X.", low=1, high=2000), _DIVISIONS] = 48
    rows: Annotated[int, setting("Rows", "Quads along Z.", low=1, high=2000), _DIVISIONS] = 48


class Box(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="box", tag_field="kind"):
    """A closed box."""

    width: Annotated[float, setting("Width", "Along X.", unit="length", low=1e-6, high=1e6)] = 1.0
    height: Annotated[float, setting("Height", "Along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    depth: Annotated[float, setting("Depth", "Along Z.", unit="length", low=1e-6, high=1e6)] = 1.0
    divisions: Annotated[int, setting("Divisions", "Quads along each edge.", low=1, high=2000), _DIVISIONS] = 16


class Tube(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="tube", tag_field="kind"):
    """An open tube standing on its origin."""

    radius: Annotated[float, setting("Radius", "From its axis.", unit="length", low=1e-6, high=1e6)] = 0.3
    height: Annotated[float, setting("Height", "Along Y.", unit="length", low=1e-6, high=1e6)] = 1.0
    around: Annotated[int, setting("Around", "Quads about the axis.", low=3, high=4000), Meta(ge=3, le=4000)] = 48
    along: Annotated[int, setting("Along", "Quads along the axis.", low=1, high=4000), Meta(ge=1, le=4000)] = 32


class Lathe(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="lathe", tag_field="kind"):
    """A drawn profile turned about Y. profile: radius and height from the bottom up."""

    profile: Annotated[tuple[tuple[float, float], ...], Meta(min_length=2, max_length=1000)] = (
        (0.0, 0.0),
        (0.35, 0.05),
        (0.45, 0.5),
        (0.2, 0.9),
        (0.25, 1.0),
    )
    around: Annotated[int, setting("Around", "Quads about the axis.", low=3, high=4000), Meta(ge=3, le=4000)] = 96
    along: Annotated[int, setting("Along", "Quads along the profile.", low=1, high=4000), Meta(ge=1, le=4000)] = 96


class StoredAttribute(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """A named array of an imported mesh."""

    name: Name
    domain: Literal["point", "corner", "face", "whole"]
    blob: BlobName


class Mesh(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True, tag="mesh", tag_field="kind"):
    """A mesh that was brought in; its arrays are blobs beside the scene."""

    points: BlobName
    corners: BlobName
    offsets: BlobName
    attributes: tuple[StoredAttribute, ...] = ()
    file: str = ""


ShapeSource = Ball | Grid | Box | Tube | Lathe | Mesh


class Route(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """One falloff that feeds an effect."""

    falloff: Annotated[Identifier, setting("Falloff", "The falloff that feeds the effect.", refers="falloff")]
    amount: Annotated[
        Number, setting("Amount", "How much of the falloff's strength comes through.", unit="share", step=0.01)
    ] = 1.0
    join: Annotated[Join, setting("Joins", "How it joins the route before it.")] = "multiply"
    inverted: Annotated[bool, setting("Inverted", "One minus the strength.")] = False


class Effect(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """An effect on a shape, and the falloffs its strength comes from; at full strength where there are none."""

    id: Identifier
    settings: EffectSettings
    routes: tuple[Route, ...] = ()
    enabled: bool = True


class Shape(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """Something to be seen and deformed."""

    id: Identifier
    name: Name
    source: ShapeSource
    placement: Placement = Placement()
    effects: tuple[Effect, ...] = ()
    visible: bool = True
    color: Color = (0.80, 0.77, 0.71)


class Control(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """An object that falloffs look at."""

    id: Identifier
    name: Name
    form: Annotated[ControlForm, setting("Form", "What distances are measured to; the shells keep this form.")] = "ball"
    placement: Placement = Placement()
    visible: bool = True
    points: Annotated[
        tuple[Triple, ...],
        setting("Points", "What the path runs through, in the control's own space.", refers="points"),
        Meta(max_length=10_000),
    ] = ()


class RampPoint(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """A point of a ramp, and how the curve goes on to the next."""

    position: Annotated[
        Number, setting("Point at", "0 at the full end of the range, 1 at the gone end.", low=0.0, high=1.0, step=0.01)
    ]
    value: Annotated[Number, setting("Strength", "The strength at this point.", step=0.01)]
    shape: CurveShape = "smooth"


Ramp = Annotated[tuple[RampPoint, ...], Meta(min_length=1, max_length=64)]
EASED: tuple[RampPoint, ...] = (RampPoint(0.0, 1.0), RampPoint(1.0, 0.0))


class Range(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """The two values between which the ramp runs."""

    full: Annotated[Number, setting("Full within", "The value up to which the strength is full.", unit="length")] = 0.0
    gone: Annotated[Number, setting("Gone beyond", "The value from which nothing is left.", unit="length")] = 1.0


class Layer(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """One thing that is measured, and how it joins the layers above it."""

    id: Identifier
    source: Source
    join: Annotated[Join, setting("Joins", "How it joins the layers above it.")] = "multiply"
    one_minus: Annotated[bool, setting("One minus", "Use one minus the values.")] = False
    range: Range | None = None
    ramp: Ramp | None = None
    enabled: bool = True


class Falloff(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """Layers joined into values, the range they are remapped through, and the ramp that makes them a strength."""

    id: Identifier
    name: Name
    layers: tuple[Layer, ...] = ()
    range: Range = Range()
    ramp: Ramp = EASED
    signed: Annotated[bool, setting("Signed", "Keep strengths below 0 and above 1.")] = False


class Camera(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """The shot's camera."""

    name: Name = "Shot"
    place: Annotated[Triple, setting("Place", "Where the camera stands.", unit="length")] = (3.0, 2.0, 5.0)
    target: Annotated[Triple, setting("Target", "What it looks at.", unit="length")] = (0.0, 0.6, 0.0)
    view_angle: Annotated[
        Number, setting("View angle", "Height of the picture.", unit="degrees", low=1.0, high=150.0)
    ] = 32.0


class Scene(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
    """Everything that is saved."""

    shapes: tuple[Shape, ...] = ()
    controls: tuple[Control, ...] = ()
    falloffs: tuple[Falloff, ...] = ()
    camera: Camera = Camera()
    frames_per_second: Annotated[
        float, setting("Rate", "Frames per second; playing keeps to it.", low=1.0, high=240.0), Meta(ge=1, le=240)
    ] = 24.0
    first: Annotated[
        int,
        setting("First", "The frame where the shot begins.", unit="frames", low=-100_000, high=100_000),
        Meta(ge=-100_000, le=100_000),
    ] = 1
    last: Annotated[
        int,
        setting("Last", "The frame where the shot ends.", unit="frames", low=-100_000, high=100_000),
        Meta(ge=-100_000, le=100_000),
    ] = 144
    metres_per_unit: Annotated[float, Meta(gt=0, le=1e6)] = 1.0
