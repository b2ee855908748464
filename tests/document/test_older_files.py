"""Files that older versions saved open, mean what they meant, and are saved as the newest version."""

import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
from msgspec import structs

from estompe.document.file import VERSION, load, save
from estompe.evaluation import Memo, evaluate
from estompe.geometry import Domain
from estompe.geometry.colors import display_color, display_of
from estompe.samples import sample

pytestmark = pytest.mark.thorough

FILES = sorted((Path(__file__).parents[1] / "data").glob("version-*/*.estompe"))
# This sample was made anew in version 3, of copies.
CHANGED = {("version-1", "pennants-gull"), ("version-2", "pennants-gull")}
# A sample is computed once: a file that means something else has other keys.
MEMO = Memo()


def test_there_are_files_of_every_older_version():
    assert {int(path.parent.name.split("-")[1]) for path in FILES} == set(range(1, VERSION))


@pytest.mark.parametrize("path", FILES, ids=lambda path: f"{path.parent.name}/{path.stem}")
def test_an_older_file_opens_means_the_same_and_is_saved_as_the_newest(path, tmp_path):
    project = load(path)
    frame = evaluate(project, 40, MEMO)
    assert frame.problems == ()
    if (path.parent.name, path.stem) not in CHANGED:
        now = evaluate(sample(path.stem).build(), 40, MEMO)
        for shape in frame:
            assert np.array_equal(frame[shape].points, now[shape].points), shape
    save(project, tmp_path / "again.estompe")
    with zipfile.ZipFile(tmp_path / "again.estompe") as archive:
        assert json.loads(archive.read("scene.json"))["version"] == VERSION
    assert load(tmp_path / "again.estompe").scene == project.scene


def test_colours_of_version_9_look_as_they_did():
    project = load(Path(__file__).parents[1] / "data" / "painted-sherd-9.estompe")
    shape = project.scene.shapes[0]
    assert display_color(shape.color) == pytest.approx((0.80, 0.77, 0.71), abs=1e-4)
    plain = project.with_scene(structs.replace(project.scene, shapes=(structs.replace(shape, effects=()),)))
    stored = evaluate(plain, 1)[shape.id].attribute(Domain.POINT, "color")
    assert np.allclose(display_of(stored), [1.0, 128 / 255, 0.0], atol=1e-5), "its arrays stay as they are in the file"
    for frame, expected in ((1, (0.0, 0.01, 0.2)), (10, (0.5, 0.10, 0.2))):
        color = evaluate(project, frame)[shape.id].attribute(Domain.POINT, "color")[0]
        assert display_color(color) == pytest.approx(expected, abs=0.06 if frame == 1 else 0.003)
