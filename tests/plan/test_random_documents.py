"""Random documents: every one is planned or refused in words, and no pixel is ever not finite."""

from typing import get_args

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, strand
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COLOUR, COORDS, VALUE
from whorl.effect import BadEffect, read
from whorl.effect.described import fields
from whorl.effect.places import param_at
from whorl.effect.stage import FORMS, Shape, Travel
from whorl.effect.surface import Channels, Surface
from whorl.plan.build import build
from whorl.plan.loop import findings
from whorl.plan.print.program import program
from whorl.stage.frame import picture

# Kernels are compiled once for each setting, so settings are drawn from a few.
SETTINGS = {"noise": [{"octaves": 2}, {"octaves": 2, "churns": True}], "warp": [{"octaves": 1}], "blend": []}
SETTINGS["blend"] = [{"mode": m} for m in ("add", "divide", "dodge", "soft light")]


def number(param):
    low, high = param.hard
    edges = [low, high, *param.soft, 0.0, -0.0, 1e-30, -1e-30]
    one = st.sampled_from([x for x in edges if low <= x <= high]) | st.floats(low, high, allow_subnormal=False)
    if param.type == "number":
        return one
    if param.type == "curve":
        point = st.fixed_dictionaries({"at": st.floats(-2, 2), "value": st.floats(-1000, 1000)})
        return st.lists(point, min_size=1, max_size=8)
    if param.type == "stops":
        stop = st.fixed_dictionaries(
            {"at": st.floats(-2, 2), "colour": st.lists(st.floats(0, 1000), min_size=3, max_size=3)}
        )
        return st.lists(stop, min_size=1, max_size=8)
    return st.lists(one, min_size=param.size, max_size=param.size)


@st.composite
def beads(draw, above):
    """A strand's beads, each fitting the one before."""
    sources = [k for k, b in CATALOGUE.items() if b.is_source and (k != "tap" or above)]
    out, signal = [], None
    for i in range(draw(st.integers(1, 4))):
        fitting = [k for k, b in CATALOGUE.items() if not b.is_source and signal in b.takes]
        if signal in (VALUE, COLOUR):
            fitting += [k for k, b in CATALOGUE.items() if b.takes and {VALUE, COLOUR} & set(b.takes)]
        kind = draw(st.sampled_from(sources if i == 0 else fitting))
        spec = CATALOGUE[kind]
        params = {}
        for p in spec.inputs:
            if p.name == "from" or (p.name == "top" and above and draw(st.booleans())):
                params[p.name] = {"strand": draw(st.sampled_from(sorted(above)))}
            elif p.by_strand:
                fitting = [s for s, signal in above.items() if signal in (VALUE, COLOUR)]
                if fitting and draw(st.booleans()):
                    params[p.name] = {"strand": draw(st.sampled_from(sorted(fitting)))}
            elif draw(st.booleans()):
                params[p.name] = draw(number(p))
        chosen = draw(st.sampled_from(SETTINGS[kind])) if SETTINGS.get(kind) else {}
        out.append({"id": f"b{i}", "kind": kind, "params": params, "settings": chosen})
        given = [s for s in (signal, *(above[v["strand"]] for v in params.values() if isinstance(v, dict)))]
        full = {s.name: s.default for s in spec.settings} | chosen
        signal = spec.result(full, [s for s in given if s])
    return out, signal


@st.composite
def documents(draw):
    strands, ends = [], {}
    for i in range(draw(st.integers(1, 3))):
        made, signal = draw(beads(dict(ends)))
        strands.append({"id": f"s{i}", "name": f"S{i}", "beads": made})
        ends[f"s{i}"] = signal
    usable = [s for s, signal in ends.items() if signal is not COORDS]
    entry = st.fixed_dictionaries({"strand": st.sampled_from(usable), "gain": st.floats(0, 1000)}) if usable else None
    channels = {name: draw(st.lists(entry, max_size=2)) if usable else [] for name in ("base", "emission", "opacity")}
    composite = draw(st.sampled_from(["solid", "cut away", "see-through", "glowing"]))
    return {
        "format": "whorl-effect",
        "version": 1,
        "name": "Any",
        "strands": strands,
        "surface": {"composite": composite, "capped": draw(st.booleans()), "channels": channels},
        "stage": {"shape": draw(st.sampled_from(get_args(Shape)))},
    }


@settings(max_examples=60)
@given(documents(), st.floats(0, 1))
def test_a_document_is_drawn_or_refused_and_every_pixel_is_finite(document, phase):
    try:
        plan = build(read(document))
    except BadEffect as e:
        assert all(p.words and p.place for p in e.problems), e.problems
        return
    findings(plan)
    assert program(plan).fragment.count("{") == program(plan).fragment.count("}")
    assert np.isfinite(picture(plan, phase, 16, 16)).all()


OF_SURFACE = [name for name, said in fields(Surface).items() if said.param]
#: A value that is far out of range in places, a colour brighter than white, a bent normal.
STRANDS = [
    strand("mist", bead("uv"), bead("noise", settings={"octaves": 2}), bead("remap", to_low=-1000, to_high=1000)),
    strand("tone", bead("tap", **{"from": {"strand": "mist"}}), bead("ramp")),
    strand("deep", bead("object"), bead("noise", settings={"dimensions": "3", "octaves": 1})),
    strand("skin", bead("object"), bead("noise", "n", settings={"octaves": 2}), bead("bump", strength=10)),
]
OF_STRANDS = ["mist", "tone", "deep"]
CHANNELS = [c for c in Channels.model_fields if c != "normal"]


@st.composite
def surfaces(draw):
    """A lit surface with any of its channels, anywhere on a stage with neighbours, seen from anywhere."""
    gain = number(param_at("surface/base/0/gain"))
    chosen = draw(st.lists(st.sampled_from(CHANNELS), max_size=3, unique=True))
    channels = {name: [{"strand": draw(st.sampled_from(OF_STRANDS)), "gain": draw(gain)}] for name in chosen}
    if draw(st.booleans()):
        channels["normal"] = [{"strand": "skin", "gain": draw(gain)}]
    out = {name: draw(number(param_at(f"surface/{name}"))) for name in OF_SURFACE if draw(st.booleans())}
    # As older documents have it, or a material of its own that may be of any other kind.
    old = {"strand": "mist", "channels": {"base": [{"strand": "tone"}]}}
    sent = draw(st.lists(st.sampled_from(CHANNELS), max_size=3, unique=True))
    second = old | {
        "composite": draw(st.sampled_from(["solid", "cut away", "see-through", "glowing"])),
        "lighting": draw(st.sampled_from(["lit", "self-lit"])),
        "body": draw(st.sampled_from(["none", "filled", "hollow"])),
        "film": draw(st.sampled_from([0, 400])),
        "capped": draw(st.booleans()),
        "channels": {name: [{"strand": draw(st.sampled_from(OF_STRANDS)), "gain": draw(gain)}] for name in sent},
    }
    on = st.booleans().map(lambda yes: {"on": yes})
    of_lamp = {name: number(param_at(f"stage/lamps/key/{name}")) for name in ("yaw", "pitch", "strength", "colour")}
    lamp = st.fixed_dictionaries(of_lamp)
    surface = {
        **out,
        "composite": draw(st.sampled_from(["solid", "cut away", "see-through", "glowing"])),
        "capped": draw(st.booleans()),
        "sides": draw(st.sampled_from(["front", "back", "both"])),
        "lighting": "lit",
        "body": draw(st.sampled_from(["none", "filled", "hollow"])),
        "second": draw(st.sampled_from([None, old, second])),
        "channels": channels,
    }
    camera = {"yaw": draw(st.floats(-180, 180)), "pitch": draw(st.sampled_from([-89, 0, 30, 89]))}
    of_object = {n: number(param_at(f"stage/neighbours/objects/0/{n}")) for n in ("position", "size", "pitch", "spin")}
    form = st.sampled_from(list(FORMS))
    objects = [
        {"id": f"o{i}", "name": "Any", "form": draw(form), **draw(st.fixed_dictionaries(of_object))}
        for i in range(draw(st.sampled_from([0, 0, 0, 1])))
    ]
    return {
        **data(*STRANDS, name="Any", surface=surface),
        "stage": {
            # Closer than the shape is large the camera is inside it.
            "camera": {**camera, "distance": draw(st.sampled_from([0.5, 1.0, 3.0, 100.0]))},
            "shape": draw(st.sampled_from([s for s in get_args(Shape) if s != "mesh"])),
            "neighbours": {name: draw(on) for name in ("floor", "wall", "post", "ball")} | {"objects": objects},
            "lamps": {"key": draw(lamp)},
            "travel": {n: draw(number(param_at(f"stage/travel/{n}"))) for n in fields(Travel) if draw(st.booleans())},
            "cast": draw(st.sampled_from(["by plain shapes", "by every shape"])),
        },
    }


@settings(max_examples=40)
@given(surfaces(), st.floats(0, 1))
def test_any_surface_on_any_stage_is_finite_from_everywhere(document, phase):
    plan = build(read(document))
    findings(plan)
    for peek in (None, plan.beads["tone/ramp"]):
        made = picture(plan, phase, 16, 16, peek=peek)
        assert np.isfinite(made).all() and made.min() >= 0
