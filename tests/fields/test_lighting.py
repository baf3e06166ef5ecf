"""Light on a surface against the integrals it stands for."""

import numpy as np
import pytest
from scipy.special import roots_legendre

from whorl.fields import body, lighting
from whorl.shade import Vec3
from whorl.shade.kernel import kernel

NV = np.linspace(0.1, 1.0, 7)
ROUGH = [0.1, 0.3, 0.5, 0.75, 1.0]


def run(function, *args, fixed=()):
    """A shade function over arrays; tuples are the same for all samples."""
    n = next(len(a[0]) for a in args if isinstance(a, list))
    out = [np.empty(n, np.float32) for _ in range(function.tree.returns.size)]
    args = [[np.ascontiguousarray(c, np.float32) for c in a] if isinstance(a, list) else a for a in args]
    kernel(function, fixed, tuple(isinstance(a, list) for a in args))(n, args, out)
    return out


def lit(base, roughness, metallic, normal, view, to=(0, 0, 1), light=0.0, around=0.0, open_=1.0, index=1.5):
    """What a surface sends back of one lamp and of a sky of one brightness, without a film."""
    three = lambda x: x if isinstance(x, list | tuple) else (x,) * 3  # noqa: E731
    given = (three(base), (roughness,), (metallic,))
    mirrored = run(lighting.mirror_of, *given, (index,), normal, view)
    dark = ((0, 0, 1), (0,) * 3)
    sky = (three(around),) * 3
    numbers = ((roughness,), (metallic,), (open_,), (index,))
    lamps = (to, three(light), *dark, *dark)
    n = next(len(a[0]) for a in (normal, view) if isinstance(a, list))
    up = normal if isinstance(normal, list) else [[x] * n for x in normal]
    fallen = run(lighting.fallen_sky, up, *lamps, *sky)
    args = (three(base), (0,) * 3, *numbers, normal, view, mirrored, three(around), fallen, *lamps, *sky)
    return run(lighting.lit, *args, fixed=(("coated", 0),))


def half_way(nv, roughness, count=256, around=96):
    """Directions about a view, dense where GGX facets mirror it, with their weights over the half sphere.

    Facet normals by their distribution (Walter et al. 2007, equations 35 and 36); the weight is the
    solid angle of the mirrored direction that each stands for.
    """
    x, w = roots_legendre(count)
    u, w = (x + 1) / 2, w / 2
    phi = (np.arange(around) + 0.5) / around * 2 * np.pi
    a2 = roughness**4
    ct = np.sqrt((1 - u) / (1 + (a2 - 1) * u))
    st = np.sqrt(1 - ct**2)
    h = np.stack([np.outer(st, np.cos(phi)), np.outer(st, np.sin(phi)), np.outer(ct, np.ones(around))])
    v = np.array([np.sqrt(1 - nv * nv), 0, nv])
    vh = np.einsum("c,cij->ij", v, h)
    to = 2 * vh * h - v[:, None, None]
    density = a2 / (np.pi * ((h[2] ** 2) * (a2 - 1) + 1) ** 2)
    solid = np.where((vh > 0) & (to[2] > 1e-6), 4 * vh / (density * np.maximum(h[2], 1e-9)), 0) * w[:, None] / around
    return to.reshape(3, -1), solid.ravel(), v


def sent_back(nv, roughness, base, metallic):
    """What a surface gives under light 1 from everywhere, summed up lamp by lamp."""
    total = 0.0
    # Facets where they are bright, and the matte rest over the half sphere by the cosine.
    to, solid, v = half_way(nv, roughness)
    views = [np.full(len(solid), x) for x in v]
    whole = lit(base, roughness, metallic, (0, 0, 1), views, [*to], 1.0)[0].astype(float)
    body = base * (1 - metallic) * (1 - lighting.glazed(nv, roughness, 1.5, lighting.kept(nv, roughness)))
    nl = np.clip(to[2], 0, 1)
    # A lamp of strength 1 makes matte 1, so light of radiance L from a solid angle w is a lamp of L w / π.
    total += ((whole - body * nl) * solid / np.pi).sum()
    return total + body


@pytest.mark.parametrize("roughness", ROUGH)
def test_a_white_furnace_comes_back_whole_lamp_by_lamp(roughness):
    for nv in NV:
        assert sent_back(nv, roughness, 1.0, 0.0) == pytest.approx(1, abs=0.02)
        assert sent_back(nv, roughness, 1.0, 1.0) == pytest.approx(1, abs=0.1)


@pytest.mark.parametrize("roughness", ROUGH)
def test_a_white_furnace_comes_back_whole_from_the_sky(roughness):
    for metallic, within in ((0.0, 0.02), (1.0, 0.1)):
        views = [np.sqrt(1 - NV**2), 0 * NV, NV]
        got = lit(1.0, roughness, metallic, (0, 0, 1), views, around=1.0)
        assert got[0] == pytest.approx(1, abs=within)


@pytest.mark.parametrize("roughness", ROUGH)
def test_the_share_that_facets_keep_is_the_integral(roughness):
    for nv in NV:
        to, solid, v = half_way(nv, roughness, 600)
        half = to + v[:, None]
        half /= np.linalg.norm(half, axis=0)
        nl = np.clip(to[2], 0, 1)
        d = run(lighting.facets, (nv,), [nl], [half[2]], (roughness,))[0] * nl * solid / np.pi
        vh = v @ half
        e, b = lighting.kept(nv, roughness).c
        assert e == pytest.approx(d.sum(), abs=0.035)
        assert b == pytest.approx((d * (1 - vh) ** 5).sum(), abs=0.015)


def test_fresnels_formulas_have_their_known_ends():
    assert lighting.fresnel_exact(1.0, 1.5) == pytest.approx(0.04, abs=1e-6)
    assert lighting.fresnel_exact(1.0, 1.333) == pytest.approx(((0.333) / 2.333) ** 2, abs=1e-6)
    assert lighting.fresnel_exact(0.0, 1.5) == pytest.approx(1)
    # At Brewster's angle only one of the two polarisations is reflected: ((n² − 1) / (n² + 1))² / 2.
    brewster = np.cos(np.arctan(1.5))
    assert lighting.fresnel_exact(brewster, 1.5) == pytest.approx(((2.25 - 1) / (2.25 + 1)) ** 2 / 2, abs=1e-6)
    assert lighting.fresnel_exact(0.3, 1.0) == pytest.approx(0, abs=1e-6)


def test_a_lamp_of_strength_one_makes_rough_white_that_faces_it_about_one():
    front, view = (0, 0, 1), [[0.0], [0.0], [1.0]]
    assert lit(1.0, 1.0, 0.0, front, view, front, 1.0, index=1.0)[0][0] == pytest.approx(1, abs=1e-3)
    # Lambert's cosine, and nothing from behind.
    aside = tuple(lighting.lamp_direction(60.0, 0.0))
    assert lit(1.0, 1.0, 0.0, front, view, aside, 1.0, index=1.0)[0][0] == pytest.approx(0.5, abs=1e-3)
    assert lit(1.0, 1.0, 0.0, front, view, (0, 0, -1), 1.0)[0][0] == 0


def test_lamps_stand_where_their_angles_say():
    assert tuple(lighting.lamp_direction(0.0, 0.0)) == pytest.approx((0, 0, 1), abs=1e-6)
    assert tuple(lighting.lamp_direction(90.0, 0.0)) == pytest.approx((1, 0, 0), abs=1e-6)
    assert tuple(lighting.lamp_direction(30.0, 90.0)) == pytest.approx((0, 1, 0), abs=1e-6)


def test_what_falls_on_matte_from_half_a_sky_is_its_mean_by_the_cosine():
    """The sky 1 and the ground 0: an upright wall gets half of it, a floor all, in between (1 + n.y) / 2."""
    white, black = Vec3(1, 1, 1), Vec3(0, 0, 0)

    def sky(n, spread, *three):
        return lighting.sky(n, spread, lighting.Lights(*(black,) * 6, *three))

    for tilt in np.linspace(0, np.pi, 9):
        n = Vec3(0, np.cos(tilt), np.sin(tilt))
        assert sky(n, 1.0, white, white, black).x == pytest.approx((1 + np.cos(tilt)) / 2, abs=0.011)
    assert sky(Vec3(0, 0.5, 0.8), 0.0, Vec3(0, 0, 1), Vec3(1, 0, 0), black).z > 0.6
    assert tuple(sky(Vec3(0, -0.5, 0.8), 0.0, white, white, Vec3(0.1, 0.2, 0.3))) == pytest.approx((0.1, 0.2, 0.3))


def test_a_smooth_mirror_shows_what_it_faces_in_its_own_colour():
    view = [[0.0], [0.0], [1.0]]
    up, gold = (0, 2**-0.5, 2**-0.5), (1.0, 0.7, 0.3)
    assert tuple(body.mirrored(Vec3(*up), Vec3(0, 0, 1), Vec3(*up))) == pytest.approx((0, 1, 0), abs=1e-6)
    seen = lit(gold, 0.05, 1.0, up, view, around=(0.2, 0.4, 1.0))
    assert [x[0] for x in seen] == pytest.approx((0.2, 0.4 * 0.7, 0.3), rel=0.05)
    assert [x[0] for x in lit(gold, 0.05, 1.0, up, view, around=1.0, open_=0.0)] == [0, 0, 0]


def test_the_far_side_of_a_sheet_is_lit_as_its_near_side_from_there():
    front, back = Vec3(0, 0, 1), Vec3(0, 0, -1)
    assert tuple(body.facing(front, back, -1.0)) == (0, 0, -1)
    # A normal that leans over the outline is turned back to the viewer.
    assert body.facing(Vec3(1, 0, -0.1), Vec3(0, 0, 1), 1.0).z > 0.015
    near = lit(0.8, 0.5, 0.0, (0, 0, 1), [[0.0], [0.0], [1.0]], (0.6, 0, 0.8), 0.8)
    far = lit(0.8, 0.5, 0.0, (0, 0, -1), [[0.0], [0.0], [-1.0]], (-0.6, 0, -0.8), 0.8)
    assert near[0][0] == pytest.approx(far[0][0], rel=1e-5) and near[0][0] > 0.4


def test_a_normal_that_turns_within_a_pixel_dulls_the_highlight_and_a_still_one_does_not():
    assert lighting.blurred_roughness(0.3, Vec3(0, 0, 0)) == pytest.approx(0.3, abs=1e-6)
    # Roughness to the fourth is the facets' variance; what the pixel holds is added.
    assert lighting.blurred_roughness(0.3, Vec3(0.2, 0, 0)) ** 4 == pytest.approx(0.3**4 + 0.35 * 0.04, abs=1e-6)
    assert lighting.blurred_roughness(0.1, Vec3(3, 3, 3)) ** 4 == pytest.approx(0.1**4 + 0.18, abs=1e-6)


@pytest.mark.parametrize("tilt", [0.0, 20.0, 60.0, -40.0])
@pytest.mark.parametrize("from_", [5.0, 40.0, 80.0])
def test_a_bent_mirror_never_looks_under_its_own_surface(tilt, from_):
    """What is seen there would be behind the surface; a mirror that is not bent is the mirror it was."""
    up, t, a = Vec3(0, 0, 1), np.radians(tilt), np.radians(from_)
    normal, view = Vec3(np.sin(t), 0, np.cos(t)), Vec3(-np.cos(a), 0, np.sin(a))
    ray = body.mirrored(normal, view, up)
    assert ray.z > 0 and ray.x**2 + ray.y**2 + ray.z**2 == pytest.approx(1, abs=1e-6)
    plain = 2 * (normal.x * view.x + normal.z * view.z) * normal.z - view.z
    if plain > 0.02:
        assert ray.z == pytest.approx(plain, abs=1e-6)
