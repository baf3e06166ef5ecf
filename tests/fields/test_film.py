"""Thin films against the transfer-matrix method."""

import colour
import numpy as np
import pytest
import tmm

from whorl.fields import film
from whorl.plan.run.evaluate import run

WAVES = np.arange(390.0, 731.0, 10.0)


def _weights() -> np.ndarray:
    """How much of each wavelength a linear sRGB primary takes of D65; each column adds up to 1."""
    shape = colour.SpectralShape(390, 730, 10)
    seen = colour.MSDS_CMFS["CIE 1931 2 Degree Standard Observer"].copy().align(shape).values
    light = colour.SDS_ILLUMINANTS["D65"].copy().align(shape).values
    out = (seen * light[:, None]) @ colour.RGB_COLOURSPACES["sRGB"].matrix_XYZ_to_RGB.T
    return np.asarray(out / out.sum(axis=0))


def _by_matrices(thickness: np.ndarray, degrees: np.ndarray, index: float, under: float) -> np.ndarray:
    """(n, 3): what is reflected by the characteristic matrices of Born and Wolf, *Principles of Optics*, § 1.6."""
    sine = np.sin(np.radians(degrees))[:, None]
    cosines = [np.sqrt(1 - (sine / n) ** 2 + 0j) for n in (1.0, index, under)]
    phase = 2 * np.pi * index * thickness[:, None] * cosines[1] / WAVES
    seen = 0.0
    for outer, own, inner in (
        [n * c for n, c in zip((1.0, index, under), cosines, strict=True)],
        [c / n for n, c in zip((1.0, index, under), cosines, strict=True)],
    ):
        b = np.cos(phase) - 1j * np.sin(phase) * inner / own
        c = inner * np.cos(phase) - 1j * own * np.sin(phase)
        seen = seen + np.abs((outer * b - c) / (outer * b + c)) ** 2 / 2
    return np.asarray(seen @ _weights())


def _one_by_one(thickness: float, degrees: float, index: float, under: float) -> np.ndarray:
    angle = np.radians(degrees)
    layers, depths = [1.0, index, under], [np.inf, thickness, np.inf]
    seen = [np.mean([tmm.coh_tmm(p, layers, depths, angle, w)["R"] for p in "sp"]) for w in WAVES]
    return np.asarray(seen @ _weights())


@pytest.mark.parametrize(("index", "under"), [(1.33, 1.0), (1.33, 1.5), (1.5, 1.33), (2.0, 1.5)])
def test_a_film_has_the_colours_of_the_transfer_matrix_method(index, under):
    thicknesses, angles = np.linspace(0, 1000, 26), np.linspace(0, 80, 9)
    d, a = (x.ravel().astype(np.float32) for x in np.meshgrid(thicknesses, angles))
    args = [[np.cos(np.radians(a)).astype(np.float32)], [d], (index,), (0.04,) * 3, (0.0,), (under,)]
    ours = np.stack(run(film.filmed, (), args, len(d)), axis=1)
    d, a = d.astype(np.float64), a.astype(np.float64)
    wanted = _by_matrices(d, a, index, under)
    # The matrices are those of the library, which takes them one by one.
    for i in range(0, len(d), 11):
        assert wanted[i] == pytest.approx(_one_by_one(d[i], a[i], index, under), abs=1e-9)
    wanted = np.clip(wanted, 0, 1)
    off = np.abs(ours - wanted)
    assert off.mean() < 0.01 and off.max() < 0.08
    # The colours are there: a film of one thickness is far from grey.
    assert np.ptp(wanted, axis=1).max() > 0.05


def test_no_film_is_the_bare_interface():
    from whorl.fields.lighting import fresnel_exact

    for cosine in (1.0, 0.7, 0.3, 0.05):
        bare = fresnel_exact(cosine, 1.5)
        assert max(abs(x - bare) for x in film.filmed(cosine, 0.0, 1.33, _grey(0.04), 0.0, 1.5)) < 2e-3


def test_a_film_on_a_bright_metal_leaves_it_bright():
    made = film.filmed(0.9, 400.0, 1.4, _grey(0.95), 1.0, 1.5)
    assert min(made) > 0.8 and max(made) <= 1.0


def test_the_mean_over_the_spectrum_dies_away():
    from whorl.fields.film import sensed

    assert max(abs(x - 1) for x in sensed(0.0)) < 1e-3
    assert max(abs(x) for x in sensed(20000.0)) < 0.02


def _grey(x: float):
    from whorl.shade import Vec3

    return Vec3(x, x, x)
