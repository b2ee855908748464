"""Which samples there are."""

from dataclasses import dataclass
from importlib import import_module, resources
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from estompe.document.project import Project


@dataclass(frozen=True)
class Sample:
    """A sample scene: its name on the command line, a title, what it shows, and its most telling frame."""

    name: str
    title: str
    text: str
    picture_frame: int

    def build(self, density: float = 1.0) -> "Project":
        """The scene, its meshes that many times as dense. What it is made of is loaded now, not with the list of samples."""
        project: Project = import_module(f"{__package__}.{self.name.replace('-', '_')}").build(density)
        return project

    def picture(self) -> bytes | None:
        """A small PNG of the scene, if it has been made."""
        file = resources.files("estompe.samples") / f"{self.name}.png"
        return file.read_bytes() if file.is_file() else None


SAMPLES = (
    Sample(
        "lantern-amphora",
        "Lantern and amphora",
        "A lantern passes; the amphora bulges towards it, and a swell lifts the quay.",
        62,
    ),
    Sample(
        "buoy-fender",
        "Buoy and fender",
        "A buoy presses into a fender, which swells around it and keeps its volume.",
        64,
    ),
    Sample(
        "pennants-gull",
        "Pennants and gull",
        "Pennants sway in the wind, part around a gull and hold still where it is.",
        58,
    ),
    Sample("sea-lily", "Sea lily", "A ribbed cup opens out from nothing; one number does it.", 62),
    Sample(
        "octopus-arm",
        "Octopus arm",
        "Joints flex; veins rise only where and while the arm bends. The wrist follows the elbow by a formula.",
        36,
    ),
    Sample("sea-fans", "Sea fans", "Stored poses add up; four fans follow the first by formulas.", 30),
    Sample("urchin-lamp", "Urchin lamp", "Ridges on a turned profile die out at both ends.", 70),
    Sample(
        "figurehead",
        "Figurehead",
        "An ink outline keeps its weight while the camera comes closer.",
        88,
    ),
    Sample("anchor-pull", "Anchor", "A net is drawn to an anchor, never past it.", 55),
    Sample("moon-swell", "Moon", "Noise displaces even quads as far as a sweep has come.", 60),
    Sample(
        "wall-tiles",
        "Wall of tiles",
        "Two-coloured tiles turn over as a lantern passes; blocks rise around it, and the frame stays still.",
        72,
    ),
    Sample(
        "amphora-shards",
        "Amphora in shards",
        "Two thousand pieces break along the tide line and drift, while the amphora turns and topples.",
        66,
    ),
    Sample(
        "glass-float",
        "Glass float",
        "Facets part and shrink behind a front; red spikes stand in it, and dark crystals stay.",
        70,
    ),
    Sample(
        "signal-arcs",
        "Signal arcs",
        "Living arcs between two masts, and grass grown from a mole.",
        58,
    ),
    Sample(
        "tarred-rope",
        "Tarred rope",
        "Smouldering spreads unevenly along a rope, which glows, darkens, crumples and falls to ash.",
        96,
    ),
    Sample(
        "storm-sail",
        "Storm sail",
        "A sail tears from two worn places outwards, and its rags blow against the mast of a rolling boat.",
        112,
    ),
    Sample(
        "harbour-wall",
        "Harbour wall",
        "A swell takes the mortar: stones are let go, fall in a heap on a jetty, and dry where they lie still.",
        60,
    ),
    Sample(
        "lamp-moths",
        "Moths at a lamp",
        "Moths come off a post where a lantern's light rises, swirl in a breeze, and are gone in the dusk.",
        64,
    ),
    Sample(
        "sea-fan-growth",
        "Sea fan growth",
        "A sea fan grows over a rock towards a light, and polyps open behind its tips.",
        92,
    ),
    Sample(
        "frost-pane",
        "Frost on a pane",
        "Frost branches over a window from its frame and keeps off where a lantern hangs.",
        110,
    ),
    Sample("kelp", "Kelp", "Blades of kelp ruffle along their rims as a swell rises through them.", 70),
    Sample("wake", "Wake", "Reeds bow to a passing hull, lag behind it and rise again slowly.", 46),
    Sample(
        "cairn",
        "Cairn",
        "Stones become one body; moss swells on what faces up, only inside a soft ball that drifts over them.",
        62,
    ),
    Sample(
        "salt-bell",
        "Salt bell",
        "Salt coats a bell as a lantern nears, gone exactly at its reach; the bronze stays inside.",
        72,
    ),
    Sample(
        "sponge",
        "Sponge",
        "A sponge grows out of a ball at a pace that follows cells; its colour follows the way it grew.",
        66,
    ),
    Sample("plankton", "Plankton", "8120 copies heave by noise that loops; their border stays still.", 40),
    Sample(
        "storm-crossing",
        "Storm crossing",
        "An animated shot, referred to and not swallowed: foam round a boat, a sail that shivers, buoys that answer.",
        60,
    ),
)


def sample(name: str) -> Sample:
    """A sample by name. Raises KeyError."""
    return {item.name: item for item in SAMPLES}[name]
