"""Every kind of source, effect and shape by the name of its class. Made by `make schema`."""

from estompe.effects.attract import Attract
from estompe.effects.bend import Bend
from estompe.effects.cloth import Cloth
from estompe.effects.coat import Coat
from estompe.effects.color import Color
from estompe.effects.crumple import Crumple
from estompe.effects.displace import Displace
from estompe.effects.fracture import Fracture
from estompe.effects.group import Group
from estompe.effects.grow import Grow
from estompe.effects.grow_by_steps import GrowBySteps
from estompe.effects.hide import Hide
from estompe.effects.joints import Joints
from estompe.effects.merge import Merge
from estompe.effects.move import Move
from estompe.effects.open_out import OpenOut
from estompe.effects.outline import Outline
from estompe.effects.poses import Poses
from estompe.effects.press import Press
from estompe.effects.press_down import PressDown
from estompe.effects.push import Push
from estompe.effects.push_away import PushAway
from estompe.effects.ridges import Ridges
from estompe.effects.rotate import Rotate
from estompe.effects.round import Round
from estompe.effects.ruffle import Ruffle
from estompe.effects.scale import Scale
from estompe.effects.scatter_apart import ScatterApart
from estompe.effects.separate import Separate
from estompe.effects.set_loose import SetLoose
from estompe.effects.shed import Shed
from estompe.effects.shell import Shell
from estompe.effects.skin import Skin
from estompe.effects.smooth import Smooth
from estompe.effects.spikes import Spikes
from estompe.effects.sprout import Sprout
from estompe.effects.subdivide import Subdivide
from estompe.effects.sway import Sway
from estompe.effects.taper import Taper
from estompe.effects.thicken import Thicken
from estompe.effects.twist import Twist
from estompe.effects.weather import Weather
from estompe.falloffs.after_glow import AfterGlow
from estompe.falloffs.along import Along
from estompe.falloffs.attribute import Attribute
from estompe.falloffs.border import Border
from estompe.falloffs.camera_distance import CameraDistance
from estompe.falloffs.distance import Distance
from estompe.falloffs.facing import Facing
from estompe.falloffs.formula import FormulaSource
from estompe.falloffs.height import Height
from estompe.falloffs.image import Image
from estompe.falloffs.inside import Inside
from estompe.falloffs.joint_bend import JointBend
from estompe.falloffs.lag import Lag
from estompe.falloffs.loose import LoosePieces
from estompe.falloffs.noise import Noise
from estompe.falloffs.order import Order
from estompe.falloffs.other import Other
from estompe.falloffs.over_surface import OverSurface
from estompe.falloffs.painted import Painted
from estompe.falloffs.random import Random
from estompe.falloffs.reached import Reached
from estompe.falloffs.slope import Slope
from estompe.falloffs.speed import Speed
from estompe.falloffs.spread import Spread
from estompe.falloffs.stays import Stays
from estompe.falloffs.surface import Surface
from estompe.falloffs.sweep import Sweep
from estompe.shapes.box import Box
from estompe.shapes.branches_space import BranchesThroughSpace
from estompe.shapes.branches_surface import BranchesOverSurface
from estompe.shapes.capsule import Capsule
from estompe.shapes.cone import Cone
from estompe.shapes.copies_buds import BudsOnBranches
from estompe.shapes.copies_elements import CopiesOnElements
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.copies_path import CopiesAlongPath
from estompe.shapes.copies_scatter import ScatteredCopies
from estompe.shapes.cylinder import Cylinder
from estompe.shapes.disc import Disc
from estompe.shapes.embedded_copies import EmbeddedCopies
from estompe.shapes.embedded_mesh import EmbeddedMesh
from estompe.shapes.grid import Grid
from estompe.shapes.imported import ImportedMesh
from estompe.shapes.lathe import Lathe
from estompe.shapes.octahedron import Octahedron
from estompe.shapes.pyramid import Pyramid
from estompe.shapes.shot_copies import ShotCopies
from estompe.shapes.shot_mesh import ShotMesh
from estompe.shapes.sphere import Sphere
from estompe.shapes.strands_between import StrandsBetween
from estompe.shapes.strands_path import StrandsAlongPath
from estompe.shapes.strands_surface import StrandsFrom
from estompe.shapes.torus import Torus
from estompe.shapes.tube import Tube

__all__ = [
    "AfterGlow",
    "Along",
    "Attract",
    "Attribute",
    "Bend",
    "Border",
    "Box",
    "BranchesOverSurface",
    "BranchesThroughSpace",
    "BudsOnBranches",
    "CameraDistance",
    "Capsule",
    "Cloth",
    "Coat",
    "Color",
    "Cone",
    "CopiesAlongPath",
    "CopiesOnElements",
    "CopiesOnGrid",
    "Crumple",
    "Cylinder",
    "Disc",
    "Displace",
    "Distance",
    "EmbeddedCopies",
    "EmbeddedMesh",
    "Facing",
    "FormulaSource",
    "Fracture",
    "Grid",
    "Group",
    "Grow",
    "GrowBySteps",
    "Height",
    "Hide",
    "Image",
    "ImportedMesh",
    "Inside",
    "JointBend",
    "Joints",
    "Lag",
    "Lathe",
    "LoosePieces",
    "Merge",
    "Move",
    "Noise",
    "Octahedron",
    "OpenOut",
    "Order",
    "Other",
    "Outline",
    "OverSurface",
    "Painted",
    "Poses",
    "Press",
    "PressDown",
    "Push",
    "PushAway",
    "Pyramid",
    "Random",
    "Reached",
    "Ridges",
    "Rotate",
    "Round",
    "Ruffle",
    "Scale",
    "ScatterApart",
    "ScatteredCopies",
    "Separate",
    "SetLoose",
    "Shed",
    "Shell",
    "ShotCopies",
    "ShotMesh",
    "Skin",
    "Slope",
    "Smooth",
    "Speed",
    "Sphere",
    "Spikes",
    "Spread",
    "Sprout",
    "Stays",
    "StrandsAlongPath",
    "StrandsBetween",
    "StrandsFrom",
    "Subdivide",
    "Surface",
    "Sway",
    "Sweep",
    "Taper",
    "Thicken",
    "Torus",
    "Tube",
    "Twist",
    "Weather",
]
