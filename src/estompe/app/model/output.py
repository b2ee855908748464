"""What should be written, as it is chosen on the output sheet."""

from dataclasses import dataclass, field
from typing import Literal

Kind = Literal["scene", "over", "meshes", "pictures", "movie"]
ENDINGS: dict[Kind, str] = {"scene": ".usdc", "over": ".usda", "meshes": "", "pictures": ".####.exr", "movie": ".mp4"}


@dataclass
class Output:
    """What is written where.

    shapes: ids, None for all; layers: of pictures; meshes: the format of a mesh sequence; shot: the frame range of the scene it
    was last chosen for; machines: a number of processes or the address of a scheduler, "" for this process alone; view: the name
    of a view transform, "" for sRGB; per_frame: samples of USD from each frame to the next.
    """

    kind: Kind = "pictures"
    first: int = 1
    last: int = 1
    target: str = ""
    camera: str = ""
    width: int = 1920
    height: int = 1080
    samples: int = 4
    shutter: float = 0.0
    layers: list[str] = field(default_factory=list)
    full_float: bool = False
    background: bool = False
    strength: bool = False
    burn_in: bool = False
    meshes: str = "obj"
    shapes: frozenset[str] | None = None
    shot: tuple[int, int] = (0, -1)
    machines: str = ""
    view: str = ""
    per_frame: int = 1
