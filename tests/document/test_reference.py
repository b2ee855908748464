"""The reference page says what the program does now."""

from scripts import reference

from estompe.document.kinds import EffectSettings, Source, kinds


def test_the_reference_is_current_and_shows_every_kind():
    assert reference.PAGE.read_text(encoding="utf-8") == reference.text()
    pictures = {path.stem for path in reference.PICTURES.iterdir()}
    assert pictures == {f"source-{tag}" for tag in kinds(Source)} | {f"effect-{tag}" for tag in kinds(EffectSettings)}


def test_the_reference_gives_first_values_as_the_window_shows_them():
    page = reference.text()
    noise = page[page.index("### Noise") :]
    assert "| Amount | 0.1 | scene units |" in noise
    assert "| Roughness | 50 | % | 0 … 100 |" in noise
