"""Values of pictures: the brightness is the luminance of the standard (ITU-R BT.709), channels are themselves."""

import numpy as np
import pytest
from PIL import Image as Bitmap

from estompe.document.project import Project
from estompe.document.scene import Falloff, Layer, Range, Scene, Shape
from estompe.evaluation import evaluate
from estompe.falloffs.image import Image
from estompe.shapes.grid import Grid


@pytest.mark.parametrize(("color", "luminance"), [((255, 0, 0), 0.2126), ((0, 255, 0), 0.7152), ((0, 0, 255), 0.0722)])
def test_the_brightness_of_full_colours(tmp_path, color, luminance):
    Bitmap.new("RGB", (8, 8), color).save(tmp_path / "it.png")
    values = {}
    for channel in ("brightness", "red", "green", "blue"):
        layer = Layer("l", Image(str(tmp_path / "it.png"), channel))
        scene = Scene((Shape("g", "G", Grid()),), (), (Falloff("f", "F", (layer,), Range(1.0, 0.0)),))
        shown = evaluate(Project(scene), 1).shown("g", "f")
        values[channel] = shown.values
    assert np.allclose(values["brightness"], luminance, atol=1e-4)
    for name, part in zip(("red", "green", "blue"), color, strict=True):
        assert np.allclose(values[name], part / 255, atol=1e-6)


def test_a_picture_read_as_light_is_decoded_by_the_curve_of_srgb(tmp_path):
    Bitmap.new("RGB", (8, 8), (128, 128, 128)).save(tmp_path / "grey.png")
    layer = Layer("l", Image(str(tmp_path / "grey.png"), values="as light"))
    scene = Scene((Shape("g", "G", Grid()),), (), (Falloff("f", "F", (layer,), Range(1.0, 0.0)),))
    assert np.allclose(evaluate(Project(scene), 1).shown("g", "f").values, 0.2158605, atol=1e-5)
