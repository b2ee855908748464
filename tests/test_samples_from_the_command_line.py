"""Every sample saved, told, rendered and baked from the command line."""

import json

import numpy as np
import pytest
from PIL import Image

from estompe.cli import main
from estompe.document import file
from estompe.samples import SAMPLES
from tests.samples.early import early


@pytest.fixture(params=SAMPLES, ids=lambda item: item.name)
def saved(request, tmp_path):
    """A sample at a small size in a file."""
    path, project = tmp_path / f"{request.param.name}.estompe", request.param.build(0.03)
    file.save(project, path)
    return request.param, path, early(project, request.param.picture_frame)


def test_info_tells_shapes_falloffs_and_no_problems(saved, capsys):
    item, path, frame = saved
    assert main(["info", str(path)]) == 0
    told = json.loads(capsys.readouterr().out)
    assert "problems" not in told  # they are only known on a frame
    assert {effect["kind"] for shape in told["shapes"] for effect in shape["effects"]}
    assert main(["info", str(path), "--frame", str(frame)]) == 0
    evaluated = json.loads(capsys.readouterr().out)
    assert evaluated["problems"] == []
    assert all(shape["points"] > 0 for shape in evaluated["shapes"])
    assert item.build(0.03).scene.last == told["frames"]["last"]


def test_a_frame_is_rendered_and_is_not_empty(saved, tmp_path):
    _, path, frame = saved
    out = tmp_path / "x.png"
    assert main(["render", str(path), "--frame", str(frame), "--size", "200x140", "--out", str(out)]) == 0
    pixels = np.asarray(Image.open(out).convert("RGB"), np.int32)
    assert pixels.shape == (140, 200, 3)
    ground = pixels[0, 0]
    seen = (np.abs(pixels - ground).max(axis=2) > 12).mean()
    assert 0.02 < seen < 0.98


def test_two_frames_are_baked(saved, tmp_path):
    _, path, frame = saved
    assert main(["bake", str(path), "--frames", f"{frame}-{frame + 1}", "--out", str(tmp_path / "x.usdc")]) == 0
    assert (tmp_path / "x.usdc").stat().st_size > 1000


def test_the_list_names_all(capsys):
    assert main(["sample", "--list"]) == 0
    lines = capsys.readouterr().out.splitlines()
    assert [line.split("\t")[0] for line in lines] == [item.name for item in SAMPLES]
