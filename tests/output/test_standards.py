"""What files say of themselves: movies in BT.709, exact rates, sRGB pictures, and the standard attributes of EXR."""

from fractions import Fraction

import av
import numpy as np
import OpenEXR
import pytest
from msgspec import structs

from estompe.document.scene import Camera
from estompe.output import pictures
from estompe.output.movie import Encoder
from estompe.output.painter import Settings
from estompe.output.picture_files import exact_rate
from estompe.render import Viewpoint


@pytest.mark.parametrize(("rate", "fraction"), [
    (24.0, Fraction(24)), (25.0, Fraction(25)), (23.976, Fraction(24000, 1001)), (23.98, Fraction(24000, 1001)),
    (29.97, Fraction(30000, 1001)), (59.94, Fraction(60000, 1001)), (12.5, Fraction(25, 2)), (1.0, Fraction(1)),
])  # fmt: skip
def test_rates_of_television_are_exact(rate, fraction):
    assert exact_rate(rate) == fraction


@pytest.mark.parametrize("ending", [".mp4", ".webm"])
def test_a_movie_is_bt_709_and_says_so(tmp_path, ending):
    colors = np.array([(255, 0, 0), (0, 255, 0), (0, 0, 255), (128, 128, 128), (230, 120, 40), (20, 60, 90)], np.uint8)
    picture = np.repeat(np.repeat(colors[None], 64, axis=0), 32, axis=1)
    path = tmp_path / f"it{ending}"
    with Encoder(path, ending, (picture.shape[1], 64), 23.976) as encoder:
        for _ in range(30):
            encoder.add(picture)
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        frames = list(file.decode(stream))
        context = stream.codec_context
        assert (context.color_primaries, context.color_trc, context.colorspace, context.color_range) == (1, 1, 1, 1)
        assert stream.average_rate == Fraction(24000, 1001)
        assert sum(frame.key_frame for frame in frames) >= 2
        planes = [np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size) for plane in frames[5].planes]
    # Decoded by hand after ITU-R BT.709-6, section 3.
    for number, color in enumerate(colors):
        luma = (planes[0][32, number * 32 + 16] - 16.0) / 219.0
        blue, red = ((planes[k][16, number * 16 + 8] - 128.0) / 224.0 for k in (1, 2))
        r, b = luma + 1.5748 * red, luma + 1.8556 * blue
        g = (luma - 0.2126 * r - 0.0722 * b) / 0.7152
        assert np.allclose(np.array([r, g, b]) * 255, color, atol=6), color
    if ending == ".mp4":
        head = path.read_bytes()
        assert head.find(b"moov") < head.find(b"mdat")


def test_a_png_says_that_it_is_srgb(small_sample, tmp_path):
    pictures.write(small_sample, 1, 1, tmp_path / "it.png", Settings((32, 20)))
    assert b"sRGB" in (tmp_path / "it.png").read_bytes()[:100]


def test_an_exr_has_its_time_camera_and_colours_in_the_standard_attributes(small_sample, tmp_path):
    camera = Camera("Shot", (3.0, 1.5, 4.0), (0.2, 0.4, 0.0), 35.0)
    scene = structs.replace(small_sample.scene, camera=camera, frames_per_second=23.976)
    pictures.write(small_sample.with_scene(scene), 50, 50, tmp_path / "it.exr", Settings((64, 40)))
    header = OpenEXR.File(str(tmp_path / "it.exr")).header()
    assert header["framesPerSecond"] == Fraction(24000, 1001)
    assert str(header["timeCode"]).startswith("(0, 0, 2, 2")
    assert header["software"].startswith("Estompe ")
    assert np.allclose(header["chromaticities"], (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290))
    place = np.array([0.4, 0.9, -0.3, 1.0])
    eye = place @ np.array(header["worldToCamera"])
    view = Viewpoint.of_camera(camera)
    assert np.allclose(eye[:3], view.view()[:3] @ place, atol=1e-4)
    clip = place @ np.array(header["worldToNDC"])
    (pixel,), _ = view.project(place[None, :3], 64.0, 40.0)
    assert np.allclose((clip[:2] / clip[3] + 1) / 2 * (64, 40), (pixel[0], 40 - pixel[1]), atol=1e-3)
