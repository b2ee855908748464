"""Contact sheets: which scenes they show, that each cell is that scene, and how they are refused."""

import av
import numpy as np
import pytest
from PIL import Image
from tests.scenes import one_push

from estompe.baking.states import past_of
from estompe.document import edits
from estompe.document.variants import Variant
from estompe.document.varying import parse_varied
from estompe.importing import ExchangeError
from estompe.output import contact
from estompe.output.painter import Painter, Settings
from estompe.output.picture_files import bytes_of

SIZE = (64, 40)


def labels(cells):
    return [[cell.label for cell in row] for row in cells]


def test_one_number_is_wrapped_and_two_stand_against_each_other():
    scene = one_push().scene
    amount, gone = parse_varied(scene, "Push.amount=0.1,0.2,0.3"), parse_varied(scene, "Near.gone=1,2")
    assert labels(contact.cells_of_numbers(scene, [amount])) == [
        ["Push.amount 0.1", "Push.amount 0.2"],
        ["Push.amount 0.3"],
    ]
    both = contact.cells_of_numbers(scene, [amount, gone])
    assert [len(row) for row in both] == [3, 3]
    assert both[1][2].label == "Push.amount 0.3   Near.gone 2"
    made = both[1][2].scene
    assert edits.get(made, amount.path) == 0.3
    assert edits.get(made, gone.path) == 2.0
    with pytest.raises(ValueError, match="one or two"):
        contact.cells_of_numbers(scene, [])
    many = parse_varied(scene, "Push.amount=0..1/100")
    with pytest.raises(ValueError, match="more than 400"):
        contact.cells_of_numbers(scene, [many, many])


def test_each_cell_is_the_picture_of_its_scene(small_sample, tmp_path):
    scene = small_sample.scene
    amount = parse_varied(scene, "Amphora.Push.amount=0,0.3")
    cells = contact.cells_of_numbers(scene, [amount])
    contact.write(small_sample, cells, 62, 62, tmp_path / "sheet.png", SIZE)
    with Image.open(tmp_path / "sheet.png") as image:
        sheet = np.asarray(image)
    for column, cell in enumerate(cells[0]):
        project = small_sample.with_scene(cell.scene)
        with Painter(project, Settings(SIZE, background=contact.GROUND), past_of(project)) as painter:
            wanted = bytes_of(painter.paint(62))[..., :3]
        left = 6 + column * (SIZE[0] + 6)
        assert np.array_equal(sheet[6 : 6 + SIZE[1], left : left + SIZE[0]], wanted)


def test_variants_stand_behind_the_scene_and_a_movie_plays_them(small_sample, tmp_path):
    variants = [Variant("Still", edits.put(small_sample.scene, ("shapes", "amphora", "visible"), False))]
    cells = contact.cells_of_variants(small_sample.scene, variants)
    assert labels(cells) == [["as it stands", "Still"]]
    contact.write(small_sample, cells, 10, 15, tmp_path / "sheet.mp4", SIZE)
    with av.open(str(tmp_path / "sheet.mp4")) as file:
        assert len(list(file.decode(video=0))) == 6


def test_a_scene_that_cannot_be_drawn_is_grey_and_the_others_are_drawn(tmp_path):
    project = one_push()
    broken = edits.put(project.scene, ("falloffs", "near", "layers", "reach", "source", "control"), "nobody")
    cells = contact.cells_of_variants(project.scene, [Variant("Broken", broken)])
    contact.write(project, cells, 1, 1, tmp_path / "sheet.png", SIZE)
    with Image.open(tmp_path / "sheet.png") as image:
        sheet = np.asarray(image)
    second = sheet[6 : 6 + SIZE[1], 6 + SIZE[0] + 6 : 6 + 2 * SIZE[0] + 6]
    assert (second == 128).all()
    assert np.ptp(sheet[6 : 6 + SIZE[1], 6 : 6 + SIZE[0]]) > 20


def test_sheets_that_cannot_be_written_say_why(small_sample, tmp_path):
    cells = contact.cells_of_variants(small_sample.scene, [])
    with pytest.raises(ExchangeError, match="a PNG shows one frame"):
        contact.write(small_sample, cells, 1, 4, tmp_path / "a.png", SIZE)
    with pytest.raises(ExchangeError, match="end it in"):
        contact.write(small_sample, cells, 1, 4, tmp_path / "a.gif", SIZE)
    assert list(tmp_path.iterdir()) == []
