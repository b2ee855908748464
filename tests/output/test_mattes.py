"""Mattes: read back as their published convention says, by a reading of its own, against closed forms and the id layer."""

import json
import struct

import numpy as np
import OpenEXR
import pytest
from msgspec import structs
from tests.output.test_pictures import painted

from estompe.document.project import Project
from estompe.document.scene import Camera, Scene, Shape, Transform
from estompe.kinds.numbers import Key, Keyed
from estompe.output import picture_files
from estompe.output.mattes import id_of, murmur3
from estompe.output.painter import Settings
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid

SIZE = (96, 64)


def sheets() -> Project:
    """Two sheets before each other: the nearer one covers the left half and a quarter of a pixel more."""
    pixel = 4.0 * np.tan(np.radians(30.0)) * 2 / SIZE[1]
    near = Shape("near", "Near", Grid(40.0, 40.0, 2, 2), Transform((-20.0 + 0.25 * pixel, 0.0, 0.0), (90.0, 0.0, 0.0)))
    box = Shape("box", "Box", Box(0.5, 0.5, 0.5), visible=False)
    row = Shape(
        "row", "Jars", CopiesOnGrid(form="box", columns=3, rows=1, size=(4.0, 0.0, 0.0)), Transform((0.0, 0.0, -1.0))
    )
    return Project(Scene((near, box, row), camera=Camera("Shot", (0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 60.0), last=10))


class ReadBack:
    """A layer as a program that composites reads it: by the header alone."""

    def __init__(self, path, title: str) -> None:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            header, channels = dict(file.header()), {name: item.pixels for name, item in file.channels().items()}
        key = next(name.split("/")[1] for name, value in header.items() if name.endswith("/name") and value == title)
        about = {name: header[f"cryptomatte/{key}/{name}"] for name in ("hash", "conversion", "manifest")}
        assert len(key) == 7
        assert (about["hash"], about["conversion"]) == ("MurmurHash3_32", "uint32_to_float32")
        self.manifest = json.loads(about["manifest"])
        names = sorted(name for name in channels if name.startswith(title))
        assert names == [f"{title}{level:02d}.{part}" for level in range(3) for part in "ABGR"]
        assert all(channels[name].dtype == np.float32 for name in names)
        self.pairs = [
            (channels[f"{title}{level:02d}.{one}"], channels[f"{title}{level:02d}.{two}"])
            for level in range(3)
            for one, two in ("RG", "BA")
        ]

    def matte(self, name: str) -> np.ndarray:
        wanted = struct.unpack("<f", struct.pack("<I", int(self.manifest[name], 16)))[0]
        return sum(np.where(ids == np.float32(wanted), coverage, 0.0) for ids, coverage in self.pairs)


@pytest.fixture(scope="module")
def written(tmp_path_factory):
    settings = Settings(SIZE, layers=("matte-shapes", "matte-elements", "id"))
    made = painted(sheets(), settings)
    path = tmp_path_factory.mktemp("mattes") / "a.exr"
    picture_files.save(made, path)
    return made, path


def _grown(members: np.ndarray) -> np.ndarray:
    """Pixels, and those beside them."""
    wide = np.pad(members, 1)
    return np.any(
        [wide[1 + y : 1 + y + len(members), 1 + x : 1 + x + members.shape[1]] for x in (-1, 0, 1) for y in (-1, 0, 1)],
        axis=0,
    )


@pytest.mark.parametrize(
    ("text", "expected"),
    [("", 0), ("a", 0x3C2569B2), ("hello", 0x248BFA47), ("hello, world", 0x149BBB7F),
     ("The quick brown fox jumps over the lazy dog", 0x2E4FF723)],
)  # fmt: skip
def test_the_hash_gives_the_published_values(text, expected):
    assert murmur3(text.encode()) == expected


def test_no_id_is_a_float_that_is_none():
    values = np.array([id_of(f"Shard.{number}") for number in range(20_000)], np.uint32)
    assert np.isfinite(values.view(np.float32)).all()
    assert (np.abs(values.view(np.float32)) > 1e-38).all()
    assert len(np.unique(values)) == len(values)


def test_coverage_is_how_much_of_a_pixel_a_shape_has(written):
    made, path = written
    layer = ReadBack(path, "MatteShape")
    assert set(layer.manifest) == {"Near", "Jars"}
    near = layer.matte("Near")
    assert (near[:, : SIZE[0] // 2] == 1.0).all()
    assert near[:, SIZE[0] // 2] == pytest.approx(0.25, abs=0.04)
    assert (near[:, SIZE[0] // 2 + 1 :] == 0.0).all()
    total = near + layer.matte("Jars")
    assert np.abs(total - made.color[..., 3]).max() < 1e-3, "together they are the alpha"


def test_each_copy_has_a_matte_of_its_own(written):
    made, path = written
    layer = ReadBack(path, "MatteElement")
    assert {name for name in layer.manifest if name.startswith("Jars.")} <= {f"Jars.{number}" for number in range(3)}
    assert "Near" in layer.manifest
    for name in layer.manifest:
        shape, _, number = name.partition(".")
        of_shape = made.layers["id"][..., 0] == {"Near": 1, "Jars": 2}[shape]
        middle = of_shape & (made.layers["id"][..., 1] == int(number)) if number else of_shape
        matte = layer.matte(name)
        assert (matte[middle] > 0).all()
        assert (middle[matte == 1.0]).all()
        assert (matte[~_grown(middle)] == 0).all()


def test_what_moves_is_covered_while_the_shutter_is_open():
    scene = sheets().scene
    pixel = 4.0 * np.tan(np.radians(30.0)) * 2 / SIZE[1]
    along = Keyed((Key(1, -20.0, "linear"), Key(11, -20.0 + 80 * pixel, "linear")))
    near = structs.replace(scene.shapes[0], transform=Transform((along, 0.0, 0.0), (90.0, 0.0, 0.0)))
    project = Project(structs.replace(scene, shapes=(near, *scene.shapes[1:])))
    made = painted(project, Settings(SIZE, shutter=0.5, layers=("matte-shapes",)), 6)
    matte = made.mattes["matte-shapes"]
    mine = np.where(matte.ids == np.array([id_of("Near")], np.uint32).view(np.float32), matte.coverage, 0.0).sum(
        axis=-1
    )
    # At the frame its edge is 40 pixels right of the middle, and passes 4 pixels meanwhile.
    edge = SIZE[0] // 2 + 40
    assert (mine[:, : edge - 3] == 1.0).all()
    assert (mine[:, edge + 3 :] == 0.0).all()
    assert mine[0, edge - 2 : edge + 2] == pytest.approx([0.875, 0.625, 0.375, 0.125], abs=0.13)
