"""Every bead drawn on both sides: the browser's GLSL and the CPU's kernels agree."""

import numpy as np
import pytest

from tests.browser.chromium import draw
from tests.documents import bead, effect, strand
from tests.images.pictures import encoded, lanterns
from whorl import demo
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COORDS, DIRECTION
from whorl.effect import read
from whorl.effect.sampler import sampler
from whorl.images import library
from whorl.plan.build import build
from whorl.plan.print import program
from whorl.plan.run.evaluate import evaluate
from whorl.stage import flat
from whorl.stage.frame import shown

SIZE = 128
#: Of the beads of an effect, each of which takes a software GPU as long as all of them. At half as many pixels each way
#: hard steps are twice as great a share, so the bound is the harder one.
SMALLER = 64
#: The greatest difference, save at most this share of pixels at hard steps.
GREATEST, STEPS = 2e-3, 1e-3


def assert_agree(page, plan, nodes, phase, size=SIZE):
    points = flat.points(size, size)
    for node, gpu in zip(nodes, draw(page, plan, phase, [n.index for n in nodes], size), strict=True):
        made = shown(plan, node, points, phase, threads=2)
        cpu = np.stack([flat.unquad(a, size, size) for a in made], axis=-1)
        apart = np.abs(cpu - gpu[..., :3])
        if node.gives is COORDS:
            # Coordinates are shown by how far into their unit they are: 0 and 1 are one place.
            apart = np.minimum(apart, 1 - apart)
        beyond = (apart.max(axis=-1) > GREATEST).mean()
        assert beyond <= STEPS, f"{node.place}: {beyond:.4%} of pixels differ, by {apart.max():.4f} at most"


def lying_flat(slug):
    """A demo effect without what moves its shape; whole pictures are compared in test_agreement."""
    given = demo.demo(slug).model_dump()
    given["surface"]["channels"]["displacement"] = []
    return build(read(given))


@pytest.mark.parametrize("slug", demo.slugs())
def test_every_bead_of_a_demo_effect(blank, slug):
    plan = lying_flat(slug)
    assert_agree(blank, plan, [*plan.beads.values(), *plan.channels.values()], 0.31, SMALLER)


def test_a_large_program_that_shares_loops_draws_the_same(blank):
    """Six strands of noise, some fed by others: as in a large sheet, equal ones are rounds of a loop."""

    def noisy(name, octaves, scale, feed=None):
        fed = [bead("warp", amount={"strand": feed})] if feed else []
        return strand(name, bead("uv"), *fed, bead("noise", scale=scale, settings={"octaves": octaves}))

    plan = build(
        effect(
            *(noisy("a", 2, 3), noisy("b", 2, 4), noisy("c", 3, 2)),
            *(noisy("d", 2, 5, feed="a"), noisy("e", 2, 2, feed="b"), noisy("f", 2, 6)),
            surface={"channels": {"emission": [{"strand": n} for n in "adec"]}},
        )
    )
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(program, "LARGE", 0)
        text = program.program(plan).fragment
        # The noises of a and b, the warps that need them, their noises; c and f are alone of their kind.
        assert text.count("for (int k = 0; k < 2; k++)") == 3
        assert_agree(blank, plan, [*plan.beads.values(), *plan.channels.values()], 0.31)


KINDS = list(CATALOGUE)


@pytest.mark.parametrize("first", range(0, len(KINDS), 12))
def test_every_kind_at_its_defaults(blank, first):
    kinds = KINDS[first : first + 12]
    plan = build(sampler(kinds))
    assert_agree(blank, plan, [plan.beads[f"kind-{kind}/shown"] for kind in kinds], 0.0)


def varied():
    """One strand for each value of each setting, with the other settings at their defaults."""
    other = [bead("uv"), bead("noise", settings={"octaves": 1}, scale=3)]
    strands = [strand("other", *other), strand("bent", *other, bead("bump", strength=0.3, distance=0.02))]
    for kind, spec in CATALOGUE.items():
        for s in spec.settings:
            if s.kind in ("picture", "formula"):
                continue
            if s.kind == "whole":
                values = [3]
            elif s.kind == "switch":
                values = [not s.default]
            else:
                values = [o for o in s.options if o != s.default]
            for v in values:
                settings = {s.name: v}
                if kind == "noise":
                    settings.setdefault("octaves", 2)
                # Three dimensions need a third axis that goes somewhere.
                first = [bead("object"), bead("tile", count=[1.3, 1.1, 1])]
                if COORDS not in spec.takes:
                    first = [bead("uv"), bead("radial", radius=0.7)]
                if DIRECTION in spec.takes:
                    first = [bead("tap", **{"from": {"strand": "bent"}})]
                if spec.is_source:
                    first = []
                if v == "value" and kind == "formula":
                    settings["formula"] = "noise(x * 3) / 2"
                params = {spec.brings.name: {"strand": "other"}} if spec.brings else {}
                if s.name == "churns" or settings.get("churns"):
                    params["churn"] = 0.37
                word = "".join(c if c.isalnum() else "-" for c in str(v)).lower()
                strands.append(
                    strand(f"{kind}-{s.name}-{word}".replace("_", "-"), *first, bead(kind, "shown", settings, **params))
                )
    return strands


VARIED = varied()


@pytest.mark.parametrize("part", range(0, len(VARIED), 12))
def test_every_setting_of_every_kind(blank, part):
    chosen = VARIED[:2] + [s for s in VARIED[part : part + 12] if s not in VARIED[:2]]
    plan = build(effect(*chosen))
    assert_agree(blank, plan, [plan.beads[f"{s['id']}/shown"] for s in chosen[2:]], 0.0)


def test_numbers_fed_by_strands(blank):
    ramp = strand("ramp", bead("uv"), bead("linear"))
    turn = strand("turn", bead("tap", **{"from": {"strand": "ramp"}}), bead("remap", to_high=90))
    fed = strand(
        "fed",
        bead("uv"),
        bead("rotate", angle={"strand": "turn"}),
        bead("noise", settings={"octaves": 2}, scale=4, gain={"strand": "ramp"}),
        bead("threshold", level={"strand": "ramp"}, softness=0.3),
    )
    e = effect(ramp, turn, fed)
    plan = build(e)
    assert_agree(blank, plan, [plan.beads[f"fed/{id}"] for id in ("rotate", "noise", "threshold")], 0.0)


def test_hard_steps_differ_on_few_pixels_only(blank):
    plan = build(effect(strand("cut", bead("uv"), bead("noise"), bead("threshold", softness=0))))
    assert_agree(blank, plan, [plan.beads["cut/threshold"]], 0.0)


def test_light_on_a_surface_of_every_dullness_and_metal(blank):
    """Every channel fed, lamps from three sides: the whole surface is one comparison."""
    across = strand("across", bead("uv"), bead("linear"))
    up = strand("up", bead("uv"), bead("linear", direction=[0, 1, 0]))
    bent = strand("bent", bead("uv"), bead("noise", scale=6), bead("bump", strength=0.05))
    colours = strand("colours", bead("uv"), bead("noise", scale=4), bead("ramp"))
    for lamps in ({}, {"key": {"on": False}, "rim": {"yaw": 10, "pitch": -20, "strength": 3}}):
        channels = {"base": [{"strand": "colours"}], "roughness": [{"strand": "across"}]}
        channels |= {"metallic": [{"strand": "up"}], "normal": [{"strand": "bent"}]}
        channels |= {"occlusion": [{"strand": "up", "gain": 2.0}]}
        surface = {"composite": "solid", "lighting": "lit", "index": 1.33, "channels": channels}
        plan = build(effect(across, up, bent, colours, surface=surface, stage={"lamps": lamps}))
        assert_agree(blank, plan, [plan.channels[n] for n in ("roughness", "metallic", "normal", "occlusion")], 0.0)
        made = evaluate(plan, plan.picture, flat.points(SIZE, SIZE), 0.0)
        cpu = np.stack([flat.unquad(a, SIZE, SIZE) for a in made], axis=-1)
        (gpu,) = draw(blank, plan, 0.0, [-1], SIZE)
        # Against what is seen: a highlight of 50 is as white as one of 60.
        apart = np.abs(cpu / (1 + cpu) - gpu / (1 + np.maximum(gpu, 0))).max(axis=-1)
        assert (apart > GREATEST).mean() <= STEPS
        assert cpu[..., :3].max() > 1 and cpu.std() > 0.1


PICTURED = [
    ("image", {}),
    ("image", {"take": "luminance", "wrap": "mirror"}),
    ("image", {"take": "alpha", "encoding": "sRGB"}),
    ("image", {"wrap": "edge"}),
    ("image", {"filter": "blocks"}),
    ("image-normal", {"flip_green": True}),
]


def test_pictures_are_filtered_alike(blank):
    digest, made = library.add(encoded(lanterns()))
    asset = {"id": "lanterns", "name": "lanterns.png", "hash": digest, "width": made.width, "height": made.height}
    # Close by and so far off that coarser levels are taken; turned, so that no texel lines up.
    strands = [
        strand(
            f"{kind}-{i}-{int(count)}",
            bead("uv"),
            bead("rotate", angle=20),
            bead("tile", count=[count, count * 1.3, 1]),
            bead(kind, "shown", {"picture": "lanterns", **chosen}),
        )
        for i, (kind, chosen) in enumerate(PICTURED)
        for count in (1.7, 14)
    ]
    plan = build(effect(*strands, assets=[asset]))
    assert_agree(blank, plan, [plan.beads[f"{s['id']}/shown"] for s in strands], 0.0)


def test_the_last_of_a_hundred_and_fifty_beads_is_drawn(blank):
    chain = [bead("power", f"b{i}", exponent=1.01) for i in range(50)]
    plan = build(effect(*(strand(f"s{k}", bead("uv"), bead("linear", start=-k / 9), *chain) for k in range(3))))
    assert_agree(blank, plan, [plan.beads[f"s{k}/b{at}"] for k, at in ((1, 25), (2, 0), (2, 49))], 0.0)
