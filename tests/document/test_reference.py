"""The reference page says what the program does now."""

from scripts import reference

from estompe.setups.catalog import Entry, entries


def test_the_reference_is_current_and_shows_every_kind():
    assert reference.PAGE.read_text(encoding="utf-8") == reference.text()
    pictures = {path.stem for path in reference.PICTURES.iterdir()}
    assert pictures == {picture_of_entry(entry) for entry in entries() if entry.family in ("source", "effect", "shape")}


def picture_of_entry(entry: Entry) -> str:
    """The name of an entry's picture, as the script and the window make it."""
    return entry.name.replace(":", "-")


def test_the_reference_gives_first_values_as_the_window_shows_them():
    page = reference.text()
    noise = page[page.index("### Noise") :]
    assert "| Amount | 0.1 | scene units |" in noise
    assert "| Roughness | 50 | % | 0 … 100 |" in noise
