"""Whole pictures: the browser's stage and the CPU's frame of it are the same picture."""

import time

import numpy as np
import pytest
from playwright.sync_api import Page

from tests.browser.chromium import frame_of
from tests.browser.conftest import go
from tests.documents import bead, data, strand
from tests.images.meshes import glb
from tests.images.pictures import encoded
from whorl import demo
from whorl.effect import read
from whorl.effect.second import taken
from whorl.images import library
from whorl.images.sequence import gathered
from whorl.panoramas import PANORAMAS
from whorl.plan.build import build
from whorl.stage.frame import frame

SIZE = 128
QUIET = True


def pixels(page: Page, number: int) -> np.ndarray:
    """A frame as the studio's painter draws it: (size, size, 3) in 0..255, row 0 at the top."""
    for _ in range(400):
        if (got := frame_of(page, SIZE, number)) is not None:
            return got
        time.sleep(0.2)
    raise AssertionError("nothing was drawn")


def agree(page: Page, server, id: str, effect) -> None:
    """Both draw a frame of an effect on the shelf alike."""
    go(page, server, id)
    plan = build(effect)
    frames = plan.effect.turn.frames
    number = frames // 3
    gpu = pixels(page, number)
    cpu = np.round(frame(plan, effect.turn.phase(number), SIZE, SIZE, threads=2)[..., :3] * 255)
    apart = np.abs(gpu - cpu).max(axis=-1)
    assert np.abs(gpu - cpu).mean() < 1
    assert (apart <= 4).mean() > 0.995, f"{(apart > 4).mean():.2%} of pixels"
    assert cpu.std() > 5


@pytest.mark.parametrize("slug", demo.slugs())
def test_the_browser_and_the_cpu_draw_one_picture(page: Page, server, slug):
    agree(page, server, slug, demo.demo(slug))


@pytest.mark.parametrize(
    ("slug", "stage"),
    [
        ("chart-lantern", {"shape": "icosphere", "edges": "hard", "size": 0.8}),
        ("pier-light", {"shape": "cylinder", "size": 1.2, "camera": {"yaw": 30, "pitch": 35, "distance": 4.5}}),
    ],
)
def test_other_shapes_sizes_and_edges_are_one_picture_too(page: Page, server, slug, stage):
    document = demo.demo(slug).model_dump(mode="json")
    document["stage"] |= stage
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))


@pytest.mark.parametrize(("first", "second"), [("moth-crate", "soap-lantern"), ("night-river", "breathing-sail")])
def test_one_effect_that_passes_into_another_is_one_picture_too(page: Page, server, first, second):
    """Cut away into clear, clear into lit cloth; one displaced, the other not."""
    effect, _ = taken(demo.demo(first), demo.demo(second))
    given = {"document": effect.model_dump(mode="json")}
    id = page.request.post(f"{server.address}/api/effects", data=given).json()["id"]
    agree(page, server, id, effect)


def test_a_figure_whose_eyes_stay_and_whose_vertices_have_colours_is_one_picture(page: Page, server):
    file = glb(second=True)
    digest, _ = library.add_solid(file)
    answer = page.request.post(f"{server.address}/api/meshes", data=file, headers={"content-type": "text/plain"})
    assert answer.json()["parts"] == ["cloak", "eyes"] and answer.json()["colours"]
    assert answer.json()["second_uv"]
    parts = [{"name": "cloak"}, {"name": "eyes", "wears": "plain"}]
    own = strand("own", bead("vertex-colour"))
    height = strand("height", bead("object"), bead("noise", scale=2.0))
    grain = strand("grain", bead("second-uv"), bead("noise", scale=5.0), bead("bump", strength=0.3))
    channels = {"base": [{"strand": "own"}], "displacement": [{"strand": "height"}], "normal": [{"strand": "grain"}]}
    stage = {"shape": "mesh", "mesh": {"name": "figure.glb", "hash": digest, "parts": parts}, "camera": {"yaw": 30}}
    surface = {"composite": "solid", "lighting": "lit", "displacement": 0.2, "channels": channels}
    document = data(own, height, grain, stage=stage, surface=surface)
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))


def pictured(*strands, **surface):
    """A document of strands over a soft picture that is tiled and scrolls, on a ball."""
    y, x = np.mgrid[0:128, 0:128] / 128 * 2 * np.pi
    waves = 0.5 + 0.25 * np.sin(3 * x + np.cos(2 * y)) + 0.25 * np.cos(5 * y - 2 * x)
    file = encoded(np.round(np.repeat(waves[..., None], 3, 2) * 255).astype(np.uint8))
    digest, _ = library.add(file)
    scroll = bead("scroll", offset={"motion": "drift", "cycles": [1, 0]})
    image = bead("image", settings={"picture": "waves", "take": "luminance"})
    height = strand("height", bead("uv"), bead("tile", count=[4, 3, 1]), scroll, image)
    asset = {"id": "waves", "name": "waves.png", "hash": digest, "width": 128, "height": 128}
    stage = {"shape": "ball", "camera": {"yaw": 30, "pitch": 20}}
    return file, data(height, *strands, assets=[asset], stage=stage, surface=surface)


def entries(**channels):
    return {"channels": {name: [{"strand": s}] for name, s in channels.items()}}


TAP = bead("tap", **{"from": {"strand": "height"}})


@pytest.mark.parametrize(
    ("strands", "surface"),
    [
        (
            [strand("relief", TAP, bead("bump", strength=0.1))],
            {
                "composite": "solid",
                "lighting": "lit",
                "metallic": 1.0,
                "roughness": 0.25,
                **entries(base="height", normal="relief"),
            },
        ),
        (
            [strand("bands", TAP, bead("threshold", softness=0.1))],
            {"composite": "see-through", **entries(emission="bands", opacity="bands")},
        ),
    ],
    ids=["bump on metal", "bands on a shell"],
)
def test_pictures_that_scroll_are_one_picture_on_both_sides(page: Page, server, strands, surface):
    file, document = pictured(*strands, **surface)
    assert page.request.post(f"{server.address}/api/assets", data=file).ok
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))


def test_a_sequence_is_one_picture_on_both_sides(page: Page, server):
    """On the shape, mixed between frames; behind it, held; in relief."""
    y, x = np.mgrid[0:64, 0:64] / 64 * 2 * np.pi
    waves = [0.5 + 0.5 * np.sin(3 * x + k) * np.cos(2 * y) for k in range(7)]
    files = [
        (f"{k}.png", encoded(np.round(np.repeat(w[..., None], 3, 2) * 255).astype(np.uint8)))
        for k, w in enumerate(waves)
    ]
    sequence = gathered(files)
    got = page.request.post(f"{server.address}/api/assets", data=sequence).json()
    digest, _ = library.add_played(sequence)
    assert (got["hash"], got["frames"]) == (digest, 7)
    asset = {"name": "waves.zip", "hash": digest, "width": 64, "height": 64, "frames": 7}
    assets = [{"id": "waves", "loops": 2, **asset}, {"id": "held", "between": "held", **asset}]
    glow = strand("glow", bead("uv"), bead("tile", count=[4, 3, 1]), bead("image", settings={"picture": "waves"}))
    relief = strand("relief", bead("tap", **{"from": {"strand": "glow"}}), bead("bump", strength=0.1))
    stage = {"shape": "ball", "backdrop": {"kind": "picture", "picture": "held"}}
    surface = {"composite": "solid", "lighting": "lit", **entries(base="glow", normal="relief")}
    document = data(glow, relief, assets=assets, stage=stage, surface=surface)
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))


def test_a_shell_round_a_ball_is_one_picture_on_both_sides(page: Page, server):
    """Far side drawn alone, and what hides it found along the bent way."""
    rim = strand("rim", bead("fresnel"))
    surface = {"body": "hollow", "opacity": 0.1, "refraction": 1.3, **entries(emission="rim")}
    neighbours = {"ball": {"on": True, "centre": [0.1, 0, 0.1], "radius": 0.35}, "post": {"on": True}}
    for shape in ("ball", "dome"):
        document = data(rim, surface=surface, stage={"shape": shape, "neighbours": neighbours})
        id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
        agree(page, server, id, read(document))


def test_what_any_shape_casts_is_one_picture_on_both_sides(page: Page, server):
    """A displaced ring of holes under a lamp that a lever turns; a clear box whose shadow falls on it from a mesh."""
    dots = strand("dots", bead("object"), bead("noise", scale=3.0, settings={"dimensions": "3"}))
    holes = strand("holes", bead("tap", **{"from": {"strand": "dots"}}), bead("threshold", level=0.5, softness=0.02))
    levers = [{"id": "turn", "name": "Turn", "kind": "number", "value": 0.4, "least": 0, "most": 1}]
    key = {"yaw": {"lever": "turn", "low": 0, "high": 120}, "pitch": 40}
    around = {"cast": "by every shape", "camera": {"yaw": 20, "pitch": 25, "distance": 6}, "lamps": {"key": key}}
    around["neighbours"] = {"floor": {"on": True}, "wall": {"on": True}}
    glass = {"composite": "see-through", "body": "filled", "opacity": 0.2, "refraction": 1.2}
    for shape, surface in (
        ("ring", {"composite": "cut away", "displacement": 0.08, **entries(opacity="holes", displacement="dots")}),
        ("capsule", {**glass, **entries(cast="holes")}),
    ):
        given = {"lighting": "lit", **surface}
        document = data(dots, holes, surface=given, stage={"shape": shape, **around}, levers=levers)
        id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
        agree(page, server, id, read(document))


def test_a_cap_is_one_picture_on_both_sides(page: Page, server):
    """Waves in a ball, lit, and a ring that is cut through, with caps of colours of their own."""
    waves = "0.5 + (0.05 * sin(x.x * 8) * cos(x.z * 7) - x.y) * 0.5"
    cells = strand("cells", bead("object"), bead("noise", scale=4.0, settings={"dimensions": "3"}), bead("ramp"))
    for shape, text in (("ball", waves), ("ring", "0.5 - x.x * 0.4")):
        formula = bead("formula", settings={"formula": text, "gives": "value"})
        channels = entries(opacity="level", base="cells")
        surface = {"composite": "cut away", "lighting": "lit", "capped": True, "cap": {"strand": "cells"}, **channels}
        stage = {"shape": shape, "size": 0.9, "camera": {"yaw": 20, "pitch": 35}, "neighbours": {"floor": {"on": True}}}
        document = data(strand("level", bead("object"), formula), cells, surface=surface, stage=stage)
        id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
        agree(page, server, id, read(document))


def test_objects_look_alike_wherever_they_are_met(page: Page, server):
    """Seen, hidden by the effect and hiding it, mirrored, behind glass, in shadow, touched."""
    turned = {"yaw": 40, "pitch": 35, "spin": 20}
    forms = {
        "plane": [-0.2, -0.2, -1.3],
        "ball": [0.7, 0.3, 0.9],
        "box": [-1.1, -0.6, 0.2],
        "capsule": [0.9, -0.5, -0.6],
    }
    forms["cylinder"] = [0.1, -0.9, 0.5]
    objects = [
        {"id": f, "name": f, "form": f, "position": at, "size": [0.5, 0.9, 0.6], "colour": [0.5, 0.3, 0.1], **turned}
        for f, at in forms.items()
    ]
    touched = strand("touched", bead("contact", reach=0.4), bead("tint", colour=[0.2, 1, 0.8]))
    around = {"camera": {"yaw": 15, "pitch": 10}, "neighbours": {"objects": objects, "floor": {"on": True}}}
    # What acts on the picture once it is drawn moves too, by itself and by a lever.
    levers = [{"id": "glow", "name": "Glow", "kind": "number", "value": 0.4, "least": 0, "most": 1}]
    turning = {"motion": "sway", "amount": 25, "base": 5}
    around["travel"] = {"yaw": turning, "distance": {"lever": "glow", "low": 0.9, "high": 1.3}, "target": [0.1, 0, 0]}
    around["exposure"] = {"motion": "sway", "amount": 0.6, "base": 0.3}
    around["bloom"] = {"strength": {"lever": "glow", "low": 0.1, "high": 1.4}, "threshold": 0.4}
    for surface in ({"metallic": 1.0, "roughness": 0.15}, {"body": "filled", "opacity": 0.1, "refraction": 1.3}):
        given = {"lighting": "lit", **surface, **entries(emission="touched")}
        document = data(touched, surface=given, stage={"shape": "ball", **around}, levers=levers)
        id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
        agree(page, server, id, read(document))


def swell():
    """A sea that moves sideways and up, and shows what is behind it, bent by its own normals and blurred."""

    def wave(id, text):
        turned = {"motion": "drift", "cycles": 2 * np.pi, "base": 0.0}
        return strand(id, bead("object"), bead("formula", settings={"formula": text, "gives": "colour"}, k=turned))

    haze = strand("haze", bead("uv"), bead("noise", scale=6), bead("bump", strength=0.4))
    behind = bead("behind", index=1.3, blur=0.2, normal={"strand": "haze"})
    through = strand("through", behind, bead("tint", colour=[0.4, 0.9, 1.0], gain=1.3))
    surface = {
        **{"composite": "solid", "lighting": "lit", "roughness": 0.2, "displacement": 0.09},
        **{"displaced": "as colours say", "space": "of the surface"},
        **entries(displacement="swell", base="through"),
    }
    surface["channels"]["displacement"].append({"strand": "cross"})
    stage = {"shape": "cloth", "camera": {"yaw": 20, "pitch": 35}, "neighbours": {"wall": {"on": True}}}
    return data(
        wave("swell", "q = (x.x + 0.3 * x.y) * 9.42 - k\nVec3(-sin(q), 0, cos(q))"),
        wave("cross", "q = (x.y - 0.4 * x.x) * 6.28 - k\n0.5 * Vec3(0, -sin(q), cos(q))"),
        *(haze, through),
        surface=surface,
        stage=stage,
    )


def frosted():
    """Clear matter whose far side, blur, colour and edge strands feed, and lamps whose colours move."""
    half = strand("half", bead("uv"), bead("waves", count=3), bead("remap", to_low=0.1, to_high=0.8))
    tint = strand(
        "tint", bead("object"), bead("formula", settings={"formula": "0.6 + 0.4 * sin(x * 3)", "gives": "colour"})
    )
    by = {"strand": "half"}
    surface = {
        **{"body": "filled", "opacity": 0.1, "refraction": 1.2, "roughness": 0.3, "lighting": "lit"},
        **{"far": by, "blur": by, "absorbed": {"strand": "tint"}, "background": [0.8, 1.3, 1.2]},
    }
    moving = {"motion": "sway", "base": [0.8, 0.6, 0.4], "amount": [0.2, 0.0, 0.3]}
    stage = {"shape": "ball", "lamps": {"key": {"colour": moving}}, "backdrop": {"colour": [0.3, 0.3, 0.3]}}
    return data(half, tint, surface=surface, stage=stage)


def below():
    """One strand seen at three depths, each driven by one speed at a ratio of its own."""

    def layer(k):
        on = bead("scroll", offset=[k, 0, 0], driver={"strand": "speed"})
        made = strand(f"made-{k}", bead("uv"), on, bead("cells", scale=6 + k))
        seen = bead("seen-below", depth=0.12 * k, index=1.3)
        return made, strand(
            f"l{k}", bead("tap", **{"from": {"strand": f"made-{k}"}}), seen, bead("power", exponent=2 + k)
        )

    layers = [s for k in (1, 2, 3) for s in layer(k)]
    surface = {"composite": "solid", "channels": {"emission": [{"strand": f"l{k}", "gain": 1 / k} for k in (1, 2, 3)]}}
    stage = {"shape": "ball", "camera": {"yaw": 25, "pitch": 15}}
    return data(strand("speed", bead("phase", rounds=2)), *layers, surface=surface, stage=stage)


@pytest.mark.parametrize("made", [swell, frosted, below])
def test_what_strands_feed_bend_and_move_is_one_picture_on_both_sides(page: Page, server, made):
    document = made()
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))


GLASS = {"composite": "see-through", "body": "filled", "opacity": 0.1, "refraction": 1.4, "roughness": 0.2}


@pytest.mark.parametrize(
    ("slug", "surface"), [("studio-boxes", {"metallic": 1.0, "roughness": 0.15}), ("dusk-harbour", GLASS)]
)
def test_surroundings_are_one_picture_on_both_sides(page: Page, server, slug, surface):
    """Mirrored, falling on matte, seen through glass and behind everything."""
    got = page.request.post(f"{server.address}/api/panoramas/{slug}").json()
    library.add(PANORAMAS[slug].data)
    white = strand("white", bead("constant", settings={"gives": "colour"}, colour=[0.9, 0.8, 0.7]))
    bumps = strand("bumps", bead("object"), bead("noise", scale=5), bead("bump", strength=0.05))
    given = {"composite": "solid", "lighting": "lit", **surface, **entries(base="white", normal="bumps")}
    asset = {"id": "p", "name": slug, "hash": got["hash"], "width": got["width"], "height": got["height"]}
    stage = {
        **{"shape": "ball", "sky": {"picture": "p", "turn": 40.0}, "backdrop": {"kind": "surroundings"}},
        **{"camera": {"yaw": 25, "pitch": 12}, "neighbours": {"floor": {"on": True}}},
    }
    document = data(white, bumps, surface=given, stage=stage, assets=[asset])
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))
