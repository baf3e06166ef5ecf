"""Effects with one known fault each, made from shipped ones: at least three of every kind that is found by looking.

`planted` gives each a name, its document, and the kind and place that must be found. Numbers that do not matter are
drawn from a seed, so that a corpus of another seed is another one.
"""

import random
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from tests.documents import bead, data, mist, strand
from tests.images.pictures import encoded
from whorl import demo, starters
from whorl.effect import Effect, read
from whorl.effect.places import changed
from whorl.images import library

#: A small picture, for what is told by the name of its file.
_PIXELS = encoded(np.linspace(0, 255, 16, dtype=np.uint8).reshape(4, 4))
SEED = 7


@dataclass(frozen=True)
class Planted:
    """One effect with one fault: what is to be found, and where; places below count too."""

    name: str
    kind: str
    place: str
    effect: Effect


def shipped(name: str) -> Effect:
    """A demo effect or a starter."""
    return demo.demo(name) if name in demo.slugs() else starters.starter(name)


def after(effect: Effect, strand: str, index: int, *beads: dict) -> list[dict]:
    """The beads of a strand with others put in."""
    found = next(s for s in effect.strands if s.id == strand)
    out = [b.model_dump(mode="json") for b in found.beads]
    index = len(out) if index < 0 else index
    return [*out[:index], *beads, *out[index:]]


def pulse(high: float, cycles: float, **more) -> dict:
    return {
        "motion": "pulse",
        "low": 0.0,
        "high": high,
        "rise": 0.1,
        "hold": 0.4,
        "fall": 0.1,
        "cycles": cycles,
        **more,
    }


def planted(seed: int = SEED) -> Iterator[Planted]:
    """The whole corpus."""
    draw = random.Random(seed)

    def one(kind: str, place: str, name: str, *changes: tuple) -> Planted:
        effect = shipped(name)
        for at, value in changes:
            effect = changed(effect, at, value(effect) if callable(value) else value)
        return Planted(f"{kind}: {name} {place}", kind, place, effect)

    # Too much light, and none.
    for name, stops in (("dissolve", 5.0), ("signal-lamp", 4.5), ("wet-ground", 6.0), ("film", 6.0)):
        yield one("burnt out", "stage/exposure", name, ("stage/exposure", stops + draw.random()))
    for name in ("pier-light", "verdigris-hull", "rain-planks"):
        less = -9.0 - draw.random()
        yield one("crushed", "stage/exposure", name, ("stage/exposure", less))
    # Flashes: by a pulse, a sway, a flicker, and in red.
    fast = draw.randint(5, 8)
    yield one("flashes", "surface/emission/0/gain", "swirl", ("surface/emission/0/gain", pulse(6.0, 4 * fast)))
    sway = {"motion": "sway", "amount": 3.0, "base": 3.0, "cycles": 5 * draw.randint(4, 6)}
    yield one("flashes", "surface/emission/0/gain", "shell", ("surface/emission/0/gain", sway), ("stage/size", 1.6))
    flicker = {"motion": "flicker", "low": 0.0, "high": 6.0, "rate": 90, "roughness": 1.0, "seed": draw.randint(1, 99)}
    yield one("flashes", "surface/emission/0/gain", "ward", ("surface/emission/0/gain", flicker), ("stage/size", 1.6))
    red = data(
        strand("red", bead("constant", settings={"gives": "colour"}, colour=[1.0, 0.0, 0.0])),
        surface={"channels": {"emission": [{"strand": "red", "gain": pulse(0.6, 20)}]}},
        turn={"seconds": 4.0},
    )
    yield Planted("flashes: red", "flashes", "surface/emission/0/gain", read(red))
    # A blend the wrong way round: what is dark less what is light is nothing.
    for mode, first, second in (
        ("subtract", 0.1, 0.9),
        ("subtract", 0.05, 0.6 + 0.2 * draw.random()),
        ("linear light", 1.0, 0.02),
    ):
        low, high = (0.0, first) if mode == "subtract" else (0.9, 1.0)
        document = data(
            mist(),
            strand(
                "wide",
                bead("uv"),
                bead("noise", settings={"octaves": 3}, seed=float(draw.randint(1, 99)), scale=5.0),
                bead("remap", settings={"clamped": True}, from_low=0.3, from_high=0.7, to_low=low, to_high=high),
                bead("blend", settings={"mode": mode}, top={"strand": "band"}),
            ),
            surface={"channels": {"emission": [{"strand": "wide"}]}},
        )
        band = strand(
            "band",
            bead("uv"),
            bead("noise", settings={"octaves": 3}, seed=3.0),
            bead("remap", from_low=0.3, from_high=0.7, to_low=second * 0.7, to_high=second),
        )
        document["strands"] = [band, *document["strands"][1:]]
        if mode == "subtract":
            yield Planted(
                f"order: {mode} {second}", "operands the wrong way round", "strands/wide/blend", read(document)
            )
    divided = data(
        strand("dark", bead("uv"), bead("noise", scale=4.0), bead("remap", to_low=0.02, to_high=0.2)),
        strand(
            "lit",
            bead("uv"),
            bead("noise", scale=3.0, seed=5.0),
            bead("remap", to_low=0.5, to_high=1.0),
            bead("blend", settings={"mode": "divide"}, top={"strand": "dark"}),
        ),
        surface={"channels": {"emission": [{"strand": "lit"}]}},
    )
    yield Planted("order: divide", "operands the wrong way round", "strands/lit/blend", read(divided))
    # A shell whose far side is as loud as its near one.
    for name, far in (("shell", 1.0), ("shell", 0.9 + 0.1 * draw.random()), ("chart-lantern", 1.0)):
        more = [("surface/composite", "glowing")] if name == "chart-lantern" else []
        yield one("shell that cannot be read", "surface/far", name, ("surface/far", far), *more)
    # Gloss as roughness, by the names of files.
    for name, gloss in (("planks_gloss.png", False), ("hull-smoothness.png", False), ("deck_roughness.png", True)):
        document = data(
            strand("map", bead("uv"), bead("image", settings={"picture": "map", "take": "red"})),
            mist(),
            assets=[{"id": "map", "name": name, "hash": library.keep(_PIXELS), "width": 4, "height": 4}],
            surface={
                "lighting": "lit",
                "gloss": gloss,
                "channels": {"base": [{"strand": "mist"}], "roughness": [{"strand": "map"}]},
            },
        )
        yield Planted(f"gloss: {name}", "gloss given as roughness", "surface/roughness/0", read(document))
    # Finer than pixels.
    fine = 60 + 20 * draw.random()
    yield one("finer than the picture", "strands/mist/noise", "swirl", ("strands/mist/noise/scale", fine))
    yield one("finer than the picture", "strands/grain/fibre", "pier-light", ("strands/grain/fibre/octaves", 9))
    yield one("finer than the picture", "strands/hollow/noise", "wet-ground", ("strands/hollow/noise/octaves", 10))
    # A glow that the light drowns.
    for name, gain in (("verdigris-hull", 0.012), ("dissolve", 0.012), ("pier-light", 0.004)):
        place, dim = "surface/emission/0", gain * (0.8 + 0.4 * draw.random())
        yield one("glow that does not show", place, name, (f"{place}/gain", dim))
    # A line where the surface is gone already.
    for level in (0.2, 0.25, 0.15 + 0.1 * draw.random()):
        document = data(
            strand("field", bead("uv"), bead("noise", settings={"octaves": 2}, scale=3.0), bead("even")),
            strand("left", bead("tap", **{"from": {"strand": "field"}}), bead("threshold", level=0.6, softness=0.0)),
            strand("rim", bead("tap", **{"from": {"strand": "field"}}), bead("rim", level=level, width=0.1)),
            strand("body", bead("constant", settings={"gives": "colour"}, colour=[0.02, 0.02, 0.02])),
            surface={
                "composite": "cut away",
                "channels": {
                    "base": [{"strand": "body"}],
                    "emission": [{"strand": "rim", "gain": 3.0}],
                    "opacity": [{"strand": "left"}],
                },
            },
        )
        yield Planted(f"levels: {level:.2f}", "wrong one of two levels", "strands/rim/rim", read(document))
    # A reveal over a range that does nothing for most of its way.
    for low, high in ((-0.8, 1.8), (0.0, 2.4), (-1.5 - draw.random(), 1.0)):
        keys = [{"phase": 0.0, "value": low, "ease": "linear"}, {"phase": 1.0, "value": high}]
        yield one(
            "uneven reveal",
            "strands/left/cut/level",
            "dissolve",
            ("strands/order/beads", lambda e: [b for b in after(e, "order", 0) if b["kind"] != "even"]),
            ("strands/left/cut/level", {"motion": "keys", "keys": keys}),
            ("turn/plays", "once"),
        )
    # Crumbs.
    for octaves, seed in ((8, 5.0), (9, float(draw.randint(1, 99))), (7, float(draw.randint(100, 199)))):
        yield one(
            "specks",
            "strands/left/cut",
            "dissolve",
            ("aside", []),
            ("strands/order/noise/octaves", octaves),
            ("strands/order/noise/seed", seed),
            ("strands/order/noise/scale", 3.0),
        )
    # A jump at the join that analysis does not see: keys that hold until they are there.
    for name, place in (
        ("swirl", "surface/emission/0/gain"),
        ("shell", "surface/emission/0/gain"),
        ("beam", "surface/emission/0/gain"),
    ):
        keys = [
            {"phase": 0.0, "value": 0.2, "ease": "linear"},
            {"phase": 0.98, "value": 2.5 + draw.random(), "ease": "held"},
        ]
        yield one("join in the picture", place, name, (place, {"motion": "keys", "keys": keys}))
    # Bumps that part: the relief has a copy of the pattern over coordinates that stay.
    for offset, factor in (([1.0, 0.0, 0.0], 4.0), ([0.0, 1.0, 0.0], 6.0), ([1.0, 1.0, 0.0], 3.0)):
        pattern = bead("noise", settings={"octaves": 2}, scale=factor, seed=float(draw.randint(1, 99)))
        document = data(
            strand("colour", bead("uv"), bead("scroll", offset={"motion": "drift", "cycles": offset}), pattern),
            strand("form", bead("uv"), {**pattern, "id": "copy"}, bead("bump", strength=0.05)),
            surface={
                "lighting": "lit",
                "composite": "solid",
                "channels": {"base": [{"strand": "colour"}], "normal": [{"strand": "form"}]},
            },
        )
        yield Planted(f"parting: {offset}", "bumps that part from their pattern", "strands/form/copy", read(document))
    # A slope of a few steps over the whole picture.
    for top in (0.012, 0.02, 0.01 + 0.01 * draw.random()):
        slope = strand("slope", bead("uv"), bead("linear"), bead("remap", to_low=0.004, to_high=top))
        document = data(slope, surface={"composite": "solid", "channels": {"emission": [{"strand": "slope"}]}})
        yield Planted(f"banding: {top:.3f}", "banding", "stage/dither", read(document))
    # What does nothing.
    idle = bead("remap", id="idle", settings={"clamped": False})
    yield one(
        "does nothing", "strands/light/idle", "swirl", ("strands/light/beads", lambda e: after(e, "light", 1, idle))
    )
    yield one("does nothing", "strands/spare", "beam", ("strands", _with_spare))
    calm = {"motion": "sway", "amount": 0.3, "base": 0.5}
    still = [bead("constant", id="beat", value=calm), bead("threshold", id="never", level=5.0)]
    yield one(
        "does nothing", "strands/idle/beat/value", "shell", ("strands", _with(still)), ("surface/emission", _also)
    )
    lever = {"id": "spare", "name": "Spare", "kind": "number"}
    yield one("does nothing", "levers/spare", "swirl", ("levers", lambda e: [*_plain(e.levers), lever]))
    # What nobody can set by hand: far from the middle of coordinates a little scale is a long way.
    for kind, far in (("noise", 40.0), ("cells", 60.0), ("noise", 80.0 + 40 * draw.random())):
        document = data(
            strand(
                "far",
                bead("object"),
                bead("offset", by=[far, 0.7 * far, 0.0]),
                bead(kind, id="pattern", scale=5.0, seed=float(draw.randint(1, 99))),
            ),
            surface={"channels": {"emission": [{"strand": "far"}]}},
        )
        yield Planted(f"sensitive: {kind} {far:.0f}", "too sensitive", "strands/far/pattern/scale", read(document))
    # Octaves that nobody sees, in the dearest bead.
    for octaves in (8, 9, 10):
        cheap = {"octaves": octaves, "dimensions": "3"}
        document = data(
            strand("mist", bead("object"), bead("noise", settings=cheap, gain=0.12, scale=1.0 + draw.random())),
            surface={"channels": {"emission": [{"strand": "mist"}]}},
            stage={"shape": "ball"},
        )
        yield Planted(f"cost: {octaves}", "cost", "strands/mist/noise/octaves", read(document))


def _plain(parts) -> list[dict]:
    return [p.model_dump(mode="json") for p in parts]


def _with_spare(effect: Effect) -> list[dict]:
    return [*_plain(effect.strands), strand("spare", bead("uv"), bead("noise"))]


def _with(beads):
    return lambda effect: [*_plain(effect.strands), strand("idle", *beads)]


def _also(effect: Effect) -> list[dict]:
    return [*_plain(effect.surface.channels.emission), {"strand": "idle"}]
