"""The reference page says what the program does now."""

import doctest

import pytest
from scripts import api, reference

import estompe.api
from estompe import testing
from estompe.setups.catalog import Entry, entries


def test_the_reference_is_current_and_shows_every_kind():
    assert reference.PAGE.read_text(encoding="utf-8") == reference.text(), "run `make reference`"
    pictures = {path.stem for path in reference.PICTURES.iterdir()}
    assert pictures == {picture_of_entry(entry) for entry in entries() if entry.family in ("source", "effect", "shape")}


def test_the_api_page_is_current():
    assert api.PAGE.read_text(encoding="utf-8") == api.text(), "run `make reference`"


@pytest.mark.parametrize("module", [estompe.api, testing])
def test_the_examples_of_the_api_do_what_they_say(module):
    found = doctest.testmod(module)
    assert found.attempted > 1
    assert found.failed == 0


def picture_of_entry(entry: Entry) -> str:
    """The name of an entry's picture, as the script and the window make it."""
    return entry.name.replace(":", "-")


def test_the_reference_gives_first_values_as_the_window_shows_them():
    page = reference.text()
    noise = page[page.index("### Noise") :]
    assert "| Amount | 0.1 | scene units |" in noise
    assert "| Roughness | 50 | % | 0 … 100 |" in noise
