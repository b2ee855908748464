"""Variants: kept with the scene, told apart in words, and numbers that are varied as they are typed."""

import json
import zipfile

import numpy as np
import pytest
from msgspec import structs
from tests.scenes import one_push

from estompe.document import edits, file
from estompe.document.differences import differences, in_words, taken_across
from estompe.document.project import Project, asset_name
from estompe.document.scene import Control
from estompe.document.variants import Variant, fresh_variant_name
from estompe.document.varying import parse_values, parse_varied
from estompe.falloffs.painted import Painted
from estompe.kinds.numbers import Formula, Key, Keyed

AMOUNT = ("shapes", "sphere", "effects", "push", "effect", "amount")


def words(before, after):
    return [item.words for item in differences(before, after)]


def test_variants_come_back_from_the_file_with_their_arrays(tmp_path):
    mask = np.linspace(0, 1, 5, dtype=np.float32)
    name = asset_name(mask)
    scene = one_push().scene
    if "values" in Painted.__struct_fields__:
        other = edits.put(scene, ("falloffs", "near", "layers", "reach", "source"), Painted(values=name))
    else:
        other = edits.put(scene, AMOUNT, 0.5)
    project = Project(scene, {name: mask}, (Variant("Calm", scene), Variant("Painted", other)))
    file.save(project, tmp_path / "a.estompe")
    again = file.load(tmp_path / "a.estompe")
    assert again.scene == project.scene
    assert again.variants == project.variants
    with zipfile.ZipFile(tmp_path / "a.estompe") as archive:
        assert [item["name"] for item in json.loads(archive.read("scene.json"))["variants"]] == ["Calm", "Painted"]


def test_a_broken_variant_is_refused_with_its_place(tmp_path):
    scene = one_push().scene
    twice = structs.replace(scene, controls=(*scene.controls, Control("lamp", "Other")))
    with pytest.raises(file.FileError, match="the id “lamp” is used twice"):
        file.save(Project(scene, {}, (Variant("Bad", twice),)), tmp_path / "a.estompe")


def test_hundreds_share_everything_that_is_the_same():
    scene = one_push().scene
    kept = [Variant(f"V{number}", edits.put(scene, AMOUNT, number / 100)) for number in range(300)]
    assert len({id(variant.scene.falloffs) for variant in kept}) == 1
    assert len({id(variant.scene.shapes[0].source) for variant in kept}) == 1


def test_what_differs_is_said_in_words():
    scene = one_push(0.1).scene
    assert words(scene, scene) == []
    assert words(scene, edits.put(scene, AMOUNT, 0.18)) == ["Sphere Push amount 0.1 → 0.18"]
    keyed = Keyed((Key(1, 0.0), Key(9, 1.0)))
    assert words(scene, edits.put(scene, AMOUNT, keyed)) == ["Sphere Push amount 0.1 → 2 keys"]
    assert words(scene, edits.put(scene, AMOUNT, Formula("frame"))) == ["Sphere Push amount 0.1 → “frame”"]
    assert words(scene, edits.put(scene, ("falloffs", "near", "range", "gone"), 2.0)) == ["Near gone beyond 1 → 2"]
    moved = edits.put(scene, ("controls", "lamp", "transform", "position"), (1.0, 2.0, 3.0))
    assert words(scene, moved) == ["Lamp position 0.6 0 0 → 1 2 3"]
    hidden = edits.put(scene, ("shapes", "sphere", "visible"), False)
    assert words(scene, hidden) == ["Sphere visible on → off"]
    added = edits.insert(scene, ("controls",), Control("second", "Second"))
    assert words(scene, added) == ["control Second is new"]
    assert words(added, scene) == ["control Second is gone"]
    ordered = edits.reorder(added, ("controls", "second"), 0)
    assert "order" in words(added, ordered)[0]


def test_values_read_as_a_person_would_write_them():
    assert [in_words(value) for value in (None, True, 3, 0.5, (1.0, 2.0), "sphere")] == [
        "none", "on", "3", "0.5", "1 2", "sphere",
    ]  # fmt: skip


@pytest.mark.parametrize("change", ["number", "new", "gone"])
def test_one_thing_is_taken_across_and_nothing_else(change):
    scene = one_push().scene
    extra = edits.insert(scene, ("controls",), Control("second", "Second"))
    pairs = {
        "number": (scene, edits.put(edits.put(scene, AMOUNT, 0.4), ("shapes", "sphere", "visible"), False)),
        "new": (scene, extra),
        "gone": (extra, scene),
    }
    before, after = pairs[change]
    first = differences(before, after)[0]
    made = taken_across(before, after, first)
    left = differences(made, after)
    assert first.words not in [item.words for item in left]
    assert len(left) == len(differences(before, after)) - 1


def test_names_that_are_free():
    kept = (Variant("Variant 1", one_push().scene), Variant("Variant 3", one_push().scene))
    assert fresh_variant_name(kept) == "Variant 2"


def test_values_are_lists_or_even_steps():
    assert parse_values("0.1,0.2, .3") == (0.1, 0.2, 0.3)
    assert parse_values("0.5..1.5/5") == (0.5, 0.75, 1.0, 1.25, 1.5)
    assert parse_values("2..-2/3") == (2.0, 0.0, -2.0)
    for text in ("", "a", "1..2", "1..2/1", "1..2/1000", "1;2"):
        with pytest.raises(ValueError, match="values"):
            parse_values(text)


def test_a_number_is_found_with_or_without_the_name_of_its_shape():
    scene = one_push().scene
    assert parse_varied(scene, "Push.amount=1,2").path == AMOUNT
    assert parse_varied(scene, "Sphere.Push.amount=1,2").path == AMOUNT
    assert parse_varied(scene, "'Near'.gone=1..2/2").path == ("falloffs", "near", "range", "gone")
    twin = structs.replace(
        scene.shapes[0], id="twin", name="Twin", effects=(structs.replace(scene.shapes[0].effects[0], id="p2"),)
    )
    both = structs.replace(scene, shapes=(*scene.shapes, twin))
    with pytest.raises(ValueError, match=r"say one of Sphere\.Push\.amount, Twin\.Push\.amount"):
        parse_varied(both, "Push.amount=1")
    for text in ("Push.amount", "=1", "Nothing.here=1", "Lamp.position=1"):
        with pytest.raises(ValueError, match=r"write it as|nothing here is called|is not a single number"):
            parse_varied(scene, text)
