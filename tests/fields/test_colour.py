"""Colour against colour-science: the hue wheel, glowing bodies; and what follows from definitions."""

import colour as science
import numpy as np
import pytest

from whorl.fields import colour
from whorl.shade import Vec3

SAMPLES = np.random.default_rng(4).uniform(0, 1, (40, 3))


@pytest.mark.parametrize("rgb", SAMPLES[:20], ids=str)
def test_the_hue_wheel_is_that_of_hsv(rgb):
    made = tuple(colour.wheel(Vec3(*map(float, rgb))))
    assert made == pytest.approx(science.RGB_to_HSV(rgb), abs=1e-6)


@pytest.mark.parametrize(
    ("turn", "saturation", "brightness"), [(0.0, 1.0, 1.0), (1 / 3, 1.0, 1.0), (0.17, 0.5, 2.5), (-0.4, 1.0, 0.3)]
)
def test_hue_turns_the_wheel(turn, saturation, brightness):
    for rgb in SAMPLES:
        h, s, v = science.RGB_to_HSV(rgb)
        expected = science.HSV_to_RGB([(h + turn) % 1, min(s * saturation, 1), v]) * brightness
        made = tuple(colour.hue(Vec3(*map(float, rgb)), turn, saturation, brightness))
        assert made == pytest.approx(expected, abs=1e-5)


def test_light_many_times_white_keeps_its_hue_when_turned_all_the_way_round():
    bright = Vec3(40.0, 3.0, 0.5)
    assert tuple(colour.hue(bright, 1.0, 1.0, 1.0)) == pytest.approx(tuple(bright), rel=1e-4)


@pytest.mark.parametrize("kelvin", [1500, 2000, 2700, 3500, 5000, 6500, 8000, 10000, 14000])
def test_a_glowing_body_has_the_colour_of_plancks_law(kelvin):
    """Planck's law integrated with the CIE 1931 observer, to linear sRGB, brightest channel 1."""
    shape = science.SpectralShape(360, 780, 5)
    body = science.sd_blackbody(kelvin, shape)
    with science.utilities.suppress_warnings(colour_usage_warnings=True, python_warnings=True):
        xyz = science.sd_to_XYZ(body)
    rgb = np.maximum(science.XYZ_to_sRGB(xyz / xyz[1], apply_cctf_encoding=False), 0)
    assert tuple(colour.black_body(float(kelvin))) == pytest.approx(rgb / rgb.max(), abs=0.012)


def test_channels_come_apart_and_together():
    c = Vec3(0.2, 0.5, 3.0)
    parts = [colour.channel(c, i) for i in range(3)]
    assert tuple(colour.combined(*parts)) == tuple(c)


def test_brightness_and_contrast_leave_what_they_say_and_never_go_under_black():
    grey = Vec3(0.18, 0.18, 0.18)
    assert tuple(colour.brightened(grey, 0.0, 3.0)) == pytest.approx((0.18,) * 3)
    assert tuple(colour.brightened(Vec3(0, 0.5, 1), 0.1, 1.0)) == pytest.approx((0.1, 0.6, 1.1))
    assert min(colour.brightened(Vec3(0, 0, 0.01), -1.0, 2.0)) == 0
