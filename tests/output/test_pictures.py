"""Pictures and movies of a shot: layers against closed forms, files read back, and what happens when something stops a run."""

import json

import av
import numpy as np
import OpenEXR
import pytest
from msgspec import structs
from PIL import Image

from estompe.baking.manifest import only_run
from estompe.baking.states import past_of
from estompe.document.project import Project
from estompe.document.scene import Camera, Control, EffectSlot, Falloff, Layer, Range, Scene, Shape, Transform
from estompe.effects.rotate import Rotate
from estompe.effects.scale import Scale
from estompe.evaluation import CancelledError, evaluate
from estompe.falloffs.distance import Distance
from estompe.importing import ExchangeError
from estompe.kinds.numbers import Key, Keyed
from estompe.output import movie, picture_files, pictures
from estompe.output.estimate import time_left
from estompe.output.painter import Painter, Settings
from estompe.render.final import FinalRenderer, display_values
from estompe.render.item import Look
from estompe.render.picture import items_of
from estompe.render.renderer import Renderer
from estompe.render.tiles import tiles_of
from estompe.render.viewpoint import Viewpoint
from estompe.shapes.box import Box
from estompe.shapes.copies_grid import CopiesOnGrid
from estompe.shapes.grid import Grid

SIZE = (120, 80)


def wall(metres: float = 1.0) -> Project:
    """A wall that fills the picture 4 units before the camera, and slides 0.1 to the right each frame."""
    along = Keyed((Key(1, 0.0, "linear"), Key(11, 1.0, "linear")))
    shape = Shape("wall", "Wall", Grid(20.0, 20.0, 80, 80), Transform((along, 0.0, 0.0), (90.0, 0.0, 0.0)))
    glow = Falloff("glow", "Glow", (Layer("reach", Distance("lamp")),), Range(0.0, 2.0))
    camera = Camera("Shot", (0.0, 0.0, 4.0), (0.0, 0.0, 0.0), 60.0)
    scene = Scene((shape,), (Control("lamp", "Lamp"),), (glow,), camera, last=10)
    return Project(structs.replace(scene, metres_per_unit=metres))


def painted(project, settings, number=1):
    with Painter(project, settings, past_of(project)) as painter:
        return painter.paint(number)


def test_depth_normal_id_and_motion_of_a_wall_are_what_they_must_be():
    made = painted(wall(0.5), Settings(SIZE, layers=("depth", "normal", "id", "motion")))
    # The distance to the camera's plane is the same everywhere, in metres.
    assert np.allclose(made.layers["depth"], 2.0, atol=1e-5)
    assert np.allclose(made.layers["normal"], [0.0, 0.0, 1.0], atol=1e-5)
    assert (made.layers["id"][..., 0] == 1).all()
    assert made.shapes == {1: "Wall"}
    pixels = 0.1 * SIZE[1] / 2 / (4.0 * np.tan(np.radians(30.0)))
    assert np.allclose(made.layers["motion"], [pixels, 0.0], atol=1e-3)


def test_strength_and_faces_are_those_under_the_middle_of_each_pixel():
    project = wall()
    made = painted(project, Settings(SIZE, layers=("strength:Glow", "id")))
    frame = evaluate(project, 1)
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    half = 4.0 * np.tan(np.radians(30.0))
    across, up = (2 * x - SIZE[0]) / SIZE[1] * half, (SIZE[1] - 2 * y) / SIZE[1] * half
    distance = np.clip(np.hypot(across, up) / 2.0, 0, 1)
    eased = 1 - distance**2 * (3 - 2 * distance)
    assert np.abs(made.layers["strength:Glow"] - eased).max() < 0.03  # linear between points a quarter of a unit apart
    points, topology = frame["Wall"].points, frame["Wall"].topology
    face = made.layers["id"][10, 20, 1]
    corners = points[topology.corners[topology.offsets[face] : topology.offsets[face + 1]]]
    assert corners[:, 0].min() <= across[10, 20] <= corners[:, 0].max()
    assert corners[:, 1].min() <= up[10, 20] <= corners[:, 1].max()


def test_several_strengths_are_each_what_one_alone_is(small_sample):
    names = [falloff.name for falloff in small_sample.scene.falloffs]
    assert len(names) > 1
    wanted = tuple(f"strength:{name}" for name in names)
    together = painted(small_sample, Settings(SIZE, layers=("depth", *wanted)), 40).layers
    for layer in wanted:
        alone = painted(small_sample, Settings(SIZE, layers=(layer,)), 40).layers
        assert np.array_equal(together[layer], alone[layer])
        assert together[layer].max() > 0
    assert list(together) == ["depth", *wanted]


def test_copies_are_told_apart_by_their_ids():
    scene = wall().scene
    box = Shape("box", "Box", Box(), visible=False)
    row = Shape("row", "Row", CopiesOnGrid(form="box", columns=3, rows=1, size=(5.0, 0.0, 0.0)))
    project = Project(structs.replace(scene, shapes=(box, row)))
    made = painted(project, Settings(SIZE, layers=("id",)))
    middle = made.layers["id"][SIZE[1] // 2]
    ids = evaluate(project, 1)["Row"].ids
    assert list(dict.fromkeys(middle[middle[:, 0] > 0, 1].tolist())) == ids.tolist()
    assert set(np.unique(made.layers["id"][..., 0])) == {0, 1}


def test_tiles_give_the_picture_that_one_draw_gives(small_sample):
    frame = evaluate(small_sample, 40)
    items, viewpoint = items_of(frame, "lantern-glow"), Viewpoint.of_camera(frame.scene.camera)
    renderer = FinalRenderer()
    try:
        whole = renderer.color(items, viewpoint, Look("shaded"), (200, 120))
        tiled = renderer.color(items, viewpoint, Look("shaded"), (200, 120), tile=64)
        assert np.abs(whole - tiled).mean() < 2e-4
        assert (np.abs(whole - tiled).max(axis=2) > 0.05).mean() < 0.005
        one, many = (renderer.layers(items, viewpoint, (200, 120), tile=side) for side in (2048, 50))
        assert (one.shape != many.shape).mean() < 0.001
        same = one.shape == many.shape
        assert np.abs(one.depth - many.depth)[same].max() < 0.02
    finally:
        renderer.release()
    assert sum(tile.width * tile.height for tile in tiles_of((200, 120), 64)) == 200 * 120


def test_alpha_is_how_much_of_a_pixel_is_covered(small_sample):
    made = painted(small_sample, Settings((160, 100), samples=4), 40)
    alpha = made.color[..., 3]
    assert alpha.min() == 0.0
    assert alpha.max() == 1.0
    assert ((alpha > 0.02) & (alpha < 0.98)).mean() > 0.005
    assert (made.color[..., :3] <= alpha[..., None] + 1e-6).all(), "colours are premultiplied"
    filled = painted(small_sample, Settings((160, 100), background=(0.5, 0.5, 0.5)), 40)
    assert (filled.color[..., 3] == 1.0).all()
    assert np.allclose(display_values(filled.color)[0, 0, :3], 0.5, atol=1e-3)


@pytest.mark.parametrize(("grey", "shown"), [(0.18, 0.46135612950), (0.002, 0.02584), (1.0, 1.0), (2.0, 1.0)])
def test_pictures_are_linear_light_and_shown_by_the_curve_of_srgb(grey, shown):
    white, other = (wall_of((value,) * 3) for value in (1.0, grey))
    lit = [painted(project, Settings(SIZE)).color[40, 64] for project in (white, other)]
    assert lit[1][0] / lit[0][0] == pytest.approx(grey, rel=0.01), "lit alike, light is in proportion"
    even = np.array([[[grey * 0.5, grey * 0.5, grey * 0.5, 0.5]]], np.float32)
    assert display_values(even)[0, 0] == pytest.approx([shown, shown, shown, 0.5], abs=1e-5)


def wall_of(color):
    project = wall()
    return project.with_scene(
        structs.replace(project.scene, shapes=(structs.replace(project.scene.shapes[0], color=color),))
    )


def test_the_window_shows_the_display_values_of_the_same_light():
    project = wall_of((0.3, 0.05, 0.72))
    frame = evaluate(project, 1)
    items, viewpoint = items_of(frame), Viewpoint.of_camera(frame.scene.camera)
    light = painted(project, Settings(SIZE)).color
    renderer = Renderer()
    try:
        for still in (True, False):
            shown = renderer.draw(items, viewpoint, Look("shaded", still=still, occlusion=False), SIZE)
            assert np.abs(shown[40, 64, :3] - display_values(light)[40, 64, :3] * 255).max() <= 2
    finally:
        renderer.release()


def test_motion_blur_smears_what_moves_and_nothing_else():
    project = wall()
    lines = structs.replace(project.scene.shapes[0], source=Grid(0.5, 20.0, 2, 2))
    moving = project.with_scene(structs.replace(project.scene, shapes=(lines,)))
    sharp, blurred = (painted(moving, Settings(SIZE, shutter=shutter), 5).color[40, :, 3] for shutter in (0.0, 1.0))
    assert ((blurred > 0.05) & (blurred < 0.95)).sum() > ((sharp > 0.05) & (sharp < 0.95)).sum()
    assert blurred.sum() == pytest.approx(sharp.sum(), rel=0.03)


def test_an_exr_holds_colours_and_layers_that_read_back(tmp_path):
    project = wall()
    layers = ("depth", "normal", "id", "motion", "strength:Glow")
    pictures.write(project, 1, 2, tmp_path / "wall.####.exr", Settings(SIZE, layers=layers))
    with OpenEXR.File(str(tmp_path / "wall.0002.exr"), separate_channels=True) as file:
        found = {name: channel.pixels for name, channel in file.channels().items()}
        header = dict(file.header())
    made = painted(project, Settings(SIZE, layers=layers), 2)
    assert set(found) == {
        "R", "G", "B", "A", "depth.Z", "normal.X", "normal.Y", "normal.Z", "id.shape", "id.element", "motion.X", "motion.Y",
        "strength.Glow",
    }  # fmt: skip
    assert found["R"].dtype == np.float16
    assert found["id.element"].dtype == np.uint32
    assert np.array_equal(found["depth.Z"], made.layers["depth"])
    assert np.array_equal(found["strength.Glow"], made.layers["strength:Glow"])
    assert np.array_equal(found["G"], made.color[..., 1].astype(np.float16))
    assert json.loads(header["shapes"]) == {"1": "Wall"}
    pictures.write(project, 1, 1, tmp_path / "full.exr", Settings(SIZE), full_float=True)
    with OpenEXR.File(str(tmp_path / "full.exr"), separate_channels=True) as file:
        assert file.channels()["R"].pixels.dtype == np.float32


def test_a_run_that_was_stopped_goes_on_where_it_was(tmp_path, small_sample):
    pattern, settings = tmp_path / "a.####.png", Settings((64, 40))
    stops = iter(range(100))

    def stop(_fraction, text):
        if "frame 4" in text and next(stops) == 0:
            raise CancelledError

    with pytest.raises(CancelledError):
        pictures.write(small_sample, 1, 6, pattern, settings, stop)
    stamps = {path.name: path.stat().st_mtime_ns for path in tmp_path.glob("a.*.png")}
    assert sorted(stamps) == ["a.0001.png", "a.0002.png", "a.0003.png"]
    assert pictures.write(small_sample, 1, 6, pattern, settings) == (3, 3)
    assert {name: (tmp_path / name).stat().st_mtime_ns for name in stamps} == stamps
    assert sorted(path.name for path in tmp_path.iterdir()) == [f"a.{number:04d}.png" for number in range(1, 7)]


def test_other_settings_or_another_scene_begin_anew(tmp_path, small_sample):
    pattern = tmp_path / "a.####.png"

    def stopped(project, settings):
        def stop(_fraction, text):
            if "frame 3" in text:
                raise CancelledError

        with pytest.raises(CancelledError):
            pictures.write(project, 1, 4, pattern, settings, stop)

    stopped(small_sample, Settings((64, 40)))
    assert pictures.write(small_sample, 1, 4, pattern, Settings((32, 20))).there == 0
    stopped(small_sample, Settings((64, 40)))
    other = small_sample.with_scene(structs.replace(small_sample.scene, last=100))
    assert pictures.write(other, 1, 4, pattern, Settings((64, 40))).there == 0


def test_two_runs_into_one_place_are_refused(tmp_path, small_sample):
    with only_run(tmp_path / "a.####.png"), pytest.raises(ExchangeError, match="another run is writing there"):
        pictures.write(small_sample, 1, 2, tmp_path / "a.####.png", Settings((64, 40)))
    assert pictures.write(small_sample, 1, 2, tmp_path / "a.####.png", Settings((64, 40))).made == 2


def test_a_full_disk_in_the_middle_loses_one_frame_and_says_so(tmp_path, small_sample, monkeypatch):
    save, calls = picture_files._save_png, iter(range(100))

    def full(painted, part):
        if next(calls) == 2:
            raise OSError(28, "No space left on device")
        save(painted, part)

    monkeypatch.setattr(picture_files, "_save_png", full)
    pattern = tmp_path / "a.####.png"
    with pytest.raises(ExchangeError, match="No space left on device"):
        pictures.write(small_sample, 1, 4, pattern, Settings((64, 40)))
    assert sorted(path.name for path in tmp_path.glob("*.png")) == ["a.0001.png", "a.0002.png"]
    assert pictures.write(small_sample, 1, 4, pattern, Settings((64, 40))) == (2, 2)


@pytest.mark.parametrize(
    ("name", "settings", "words"),
    [
        ("a.jpg", Settings((64, 40)), "end it in .png or .exr"),
        ("a.png", Settings((64, 40)), "write # where the frame's number goes"),
        ("a.##.png", Settings((64, 40), layers=("depth",)), "layers need .exr"),
        ("a.##.exr", Settings((64, 40), layers=("shadow",)), "there is no layer “shadow”; there are depth, normal, id"),
        ("a.##.exr", Settings((64, 40), layers=("strength:Nothing",)), "there is no layer “strength:Nothing”"),
        ("gone/a.##.exr", Settings((64, 40)), "there is no folder"),
    ],
)
def test_what_cannot_be_written_says_why(tmp_path, small_sample, name, settings, words):
    with pytest.raises(ExchangeError, match=words):
        pictures.write(small_sample, 1, 2, tmp_path / name, settings)
    assert list(tmp_path.iterdir()) == []


@pytest.mark.parametrize("ending", ["mp4", "webm"])
def test_a_movie_has_every_frame_at_the_scenes_rate(tmp_path, small_sample, ending):
    path = tmp_path / f"shot.{ending}"
    rated = small_sample.with_scene(structs.replace(small_sample.scene, frames_per_second=25.0))
    movie.write(rated, 30, 41, path, Settings((128, 80)))
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        shown = [frame.to_ndarray(format="rgb24") for frame in file.decode(video=0)]
        assert (len(shown), stream.width, stream.height, float(stream.average_rate)) == (12, 128, 80, 25.0)
    with Painter(rated, Settings((128, 80), background=(0.725, 0.710, 0.678)), past_of(rated)) as painter:
        wanted = picture_files.bytes_of(painter.paint(41))[..., :3]
    assert np.abs(shown[-1].astype(int) - wanted).mean() < 6


def test_words_and_numbers_are_burnt_in_when_they_are_wanted(tmp_path, small_sample):
    for name, words in (("plain", ""), ("burnt", "Tide 7")):
        movie.write(small_sample, 1, 2, tmp_path / f"{name}.mp4", Settings((320, 200)), burnt_in=words)
    feet = []
    for name in ("plain", "burnt"):
        with av.open(str(tmp_path / f"{name}.mp4")) as file:
            picture = next(iter(file.decode(video=0))).to_ndarray(format="rgb24").astype(int)
            feet.append(picture[-8:])
    assert np.abs(feet[0] - feet[1]).mean() > 30
    assert np.ptp(feet[1][:, :80]) > 80, "light letters on a dark strip"


def test_movies_that_cannot_be_made_say_why_and_leave_nothing(tmp_path, small_sample, monkeypatch):
    with pytest.raises(ExchangeError, match=r"a movie ends in \.mp4 or \.webm"):
        movie.write(small_sample, 1, 2, tmp_path / "a.avi", Settings((64, 40)))
    with pytest.raises(ExchangeError, match="must be even"):
        movie.write(small_sample, 1, 2, tmp_path / "a.mp4", Settings((63, 40)))
    monkeypatch.setattr(av, "codecs_available", frozenset())
    with pytest.raises(ExchangeError, match="the encoder libx264 is not there"):
        movie.write(small_sample, 1, 2, tmp_path / "a.mp4", Settings((64, 40)))
    monkeypatch.undo()

    def stop(fraction, _text):
        if fraction > 0:
            raise CancelledError

    with pytest.raises(CancelledError):
        movie.write(small_sample, 1, 9, tmp_path / "a.mp4", Settings((64, 40)), stop)
    assert list(tmp_path.iterdir()) == []


def test_time_that_is_left_is_said_as_a_person_would():
    assert [time_left(seconds) for seconds in (0.2, 42, 200, 7200)] == ["1 s", "42 s", "3 min", "2.0 h"]


def test_a_png_is_opaque_only_where_everything_is(tmp_path, small_sample):
    for name, background in (("a", None), ("b", (0.1, 0.1, 0.1))):
        settings = Settings((64, 40), background=background)
        pictures.write(small_sample, 40, 40, tmp_path / f"{name}.png", settings)
    with Image.open(tmp_path / "a.png") as clear, Image.open(tmp_path / "b.png") as filled:
        assert (clear.mode, filled.mode) == ("RGBA", "RGB")


def test_motion_of_copies_knows_how_they_turn_and_grow():
    """One slab that fills the picture, turned by 4 degrees and grown by a tenth about its middle from frame to frame."""
    angle = Keyed((Key(1, 0.0, "linear"), Key(11, 40.0, "linear")))
    grown = Keyed((Key(1, 1.0, "linear"), Key(11, 2.0, "linear")))
    slab = Shape("slab", "Slab", Box(20.0, 20.0, 0.02, 1), visible=False)
    effects = (
        EffectSlot("turn", Rotate(angle, "z"), acts_on="pieces", each=True),
        EffectSlot("grow", Scale((grown, grown, 1.0)), acts_on="pieces", each=True),
    )
    one = Shape("one", "One", CopiesOnGrid(form="slab", columns=1, rows=1, size=(0.0, 0.0, 0.0)), effects=effects)
    project = wall()
    project = project.with_scene(structs.replace(project.scene, shapes=(slab, one)))
    motion = painted(project, Settings(SIZE, layers=("motion",))).layers["motion"]
    x, y = np.meshgrid(np.arange(SIZE[0]) + 0.5 - SIZE[0] / 2, SIZE[1] / 2 - np.arange(SIZE[1]) - 0.5)
    turn = np.radians(4.0)
    there = 1.1 * (x * np.cos(turn) - y * np.sin(turn)), 1.1 * (x * np.sin(turn) + y * np.cos(turn))
    assert np.allclose(motion[..., 0], there[0] - x, atol=0.02)
    assert np.allclose(motion[..., 1], there[1] - y, atol=0.02)
