"""Display values and linear light: the curve of sRGB against values of its standard, and there and back."""

import numpy as np
import pytest

from estompe.geometry.colors import as_linear, display_color, display_of, linear_color, linear_of


@pytest.mark.parametrize(
    ("display", "linear"),
    [(0.0, 0.0), (0.04045, 0.0031308), (0.5, 0.2140411), (0.735357, 0.5), (1.0, 1.0), (-0.5, -0.2140411)],
)
def test_the_curve_goes_through_the_points_of_its_standard(display, linear):
    assert float(linear_of(np.array(display))) == pytest.approx(linear, abs=2e-6)
    assert float(display_of(np.array(linear))) == pytest.approx(display, abs=2e-5)


def test_there_and_back_is_the_same_also_for_brighter_light():
    values = np.linspace(-1.0, 6.0, 997)
    assert np.allclose(display_of(linear_of(values)), values, atol=1e-6)
    assert linear_of(values.astype(np.float32)).dtype == np.float32
    assert display_color(linear_color((0.1, 0.6, 1.0))) == pytest.approx((0.1, 0.6, 1.0), abs=1e-5)


def test_coverage_beside_a_colour_stays():
    assert as_linear(np.array([[0.5, 0.5, 0.5, 0.5]]))[0].tolist() == pytest.approx([0.2140411] * 3 + [0.5], abs=1e-6)
