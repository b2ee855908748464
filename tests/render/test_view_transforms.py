"""How light is shown: by OpenColorIO as that library does it itself, in pictures that are written and in those of the window."""

import numpy as np
import PyOpenColorIO as Ocio
import pytest

from estompe.cli import main
from estompe.document.file import save
from estompe.evaluation import evaluate
from estompe.render import view_transform
from estompe.render.final import FinalRenderer, display_values
from estompe.render.item import Look
from estompe.render.picture import items_of
from estompe.render.renderer import Renderer
from estompe.render.view_transform import ViewError, ViewTransform, shown, view_names
from estompe.render.viewpoint import Viewpoint

FILMIC = "sRGB - Display/ACES 2.0 - SDR 100 nits (Rec.709)"


@pytest.fixture(autouse=True)
def _no_configuration(monkeypatch):
    monkeypatch.delenv("OCIO", raising=False)


def test_without_a_view_light_is_shown_by_the_curve_of_srgb():
    grey = np.full((2, 1, 3), 0.18, np.float32)
    assert np.allclose(shown(grey), 0.461356, atol=1e-5)
    assert np.allclose(shown(grey, ViewTransform(exposure=1.0)), 0.6335, atol=1e-3)
    assert np.allclose(shown(grey, ViewTransform(gamma=2.0)), 0.461356**0.5, atol=1e-5)


def test_views_of_the_built_in_configuration_give_what_the_library_gives():
    names = view_names()
    assert FILMIC in names
    light = np.random.default_rng(5).uniform(0.0, 4.0, (50, 3)).astype(np.float32)
    config = Ocio.Config.CreateFromBuiltinConfig("cg-config-v4.0.0_aces-v2.0_ocio-v2.5")
    for name in names:
        display, _, view = name.partition("/")
        transform = Ocio.DisplayViewTransform(src="Linear Rec.709 (sRGB)", display=display, view=view)
        expected = light.copy()
        config.getProcessor(transform).getDefaultCPUProcessor().applyRGB(expected)
        assert np.allclose(shown(light, ViewTransform(name)), np.clip(expected, 0.0, 1.0), atol=1e-6), name


def test_untouched_light_through_the_configuration_is_that_of_srgb():
    light = np.random.default_rng(6).uniform(0.0, 1.0, (50, 3)).astype(np.float32)
    assert np.allclose(shown(light, ViewTransform("sRGB - Display/Un-tone-mapped")), shown(light), atol=2e-4)


@pytest.mark.parametrize("view", [ViewTransform(FILMIC), ViewTransform("", 1.5, 1.2), ViewTransform(FILMIC, -1.0)])
def test_the_window_shows_what_files_hold(small_sample, view):
    frame = evaluate(small_sample, 40)
    items, viewpoint, size = items_of(frame), Viewpoint.of_camera(frame.scene.camera), (160, 100)
    final, renderer = FinalRenderer(), Renderer()
    try:
        light = final.color(items, viewpoint, Look("shaded", occlusion=False), size)
        expected = display_values(light, view)[..., :3] * 255
        drawn = renderer.draw(items, viewpoint, Look("shaded", still=True, occlusion=False, view=view), size)
        inside = light[..., 3] == 1.0
        assert np.percentile(np.abs(drawn[..., :3] - expected)[inside].max(axis=1), 97) <= 2
        plain = renderer.draw(items, viewpoint, Look("shaded", occlusion=False), size)
        assert np.abs(plain.astype(int) - drawn)[inside].max() > 10
        strength = [
            renderer.draw(items, viewpoint, Look("strength", occlusion=False, view=each), size)
            for each in (view, ViewTransform())
        ]
        assert np.array_equal(*strength), "strength is a number"
    finally:
        renderer.release()
        final.release()


def test_a_view_that_is_not_there_lists_those_that_are(small_sample, tmp_path, capsys):
    with pytest.raises(ViewError, match=r"there is no view “Cinema/Warm”; there are: .*ACES 2\.0"):
        shown(np.zeros((1, 3), np.float32), ViewTransform("Cinema/Warm"))
    save(small_sample, tmp_path / "a.estompe")
    command = ["render", str(tmp_path / "a.estompe"), "--size", "64x48", "--out", str(tmp_path / "a.png"), "--view"]
    assert main([*command, "Cinema/Warm"]) == 1
    assert "there is no view" in capsys.readouterr().err
    assert not (tmp_path / "a.png").exists()
    assert main([*command, FILMIC]) == 0


def test_a_configuration_of_ones_own_is_honoured(monkeypatch, tmp_path):
    config = Ocio.Config.CreateFromBuiltinConfig("cg-config-v4.0.0_aces-v2.0_ocio-v2.5")
    config.setActiveDisplays("")
    config.addDisplayView("Harbour", "Raw light", "Linear Rec.709 (sRGB)")
    (tmp_path / "harbour.ocio").write_text(config.serialize())
    monkeypatch.setenv("OCIO", str(tmp_path / "harbour.ocio"))
    assert "Harbour/Raw light" in view_names()
    light = np.array([[0.25, 0.5, 0.75]], np.float32)
    assert np.allclose(shown(light, ViewTransform("Harbour/Raw light")), light, atol=1e-5)
    (tmp_path / "broken.ocio").write_text("not a configuration")
    monkeypatch.setenv("OCIO", str(tmp_path / "broken.ocio"))
    with pytest.raises(ViewError, match=r"\$OCIO: .*broken.ocio cannot be read"):
        view_names()


def test_a_table_begins_at_black_and_is_the_view_at_its_nodes():
    table = view_transform.table(FILMIC)
    assert table[0, 0, 0].max() < 1e-3
    light = 2.0 ** np.linspace(view_transform.DARKEST, view_transform.BRIGHTEST, view_transform.NODES)
    light = (light - 2.0**view_transform.DARKEST).astype(np.float32)
    for red, green, blue in ((3, 40, 12), (64, 0, 31)):
        expected = shown(np.array([[light[red], light[green], light[blue]]], np.float32), ViewTransform(FILMIC))[0]
        assert np.array_equal(table[blue, green, red], expected)
