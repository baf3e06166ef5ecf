"""The page plays by itself: from a file, without a network, with its levers, as the CPU has it."""

import functools
import http.server
import threading

import numpy as np
import pytest

from tests.browser.chromium import frame_of
from tests.browser.test_people import violations
from tests.documents import bead, data, strand
from tests.images.meshes import glb
from tests.stage.test_parts import figure
from whorl import demo
from whorl.bake.page import write_element, write_page
from whorl.effect import read
from whorl.effect.levers import applied, variant_called
from whorl.effect.second import taken
from whorl.effect.value import Sway
from whorl.plan.build import build
from whorl.stage.frame import picture

SIZE = 64


@pytest.fixture
def opened(browser, tmp_path):
    """Opens the page of an effect, or a demo effect, from its file, offline and at rest unless it is to move; gives it,
    and what went wrong on it."""
    contexts = []

    def open_(what, moves="reduce"):
        out = tmp_path / "page.html"
        write_page(demo.demo(what) if isinstance(what, str) else what, out)
        # The page's own canvas is smaller than the pictures that are asked of it, and drawn for nobody.
        window = {"viewport": {"width": 1000, "height": 640}, "device_scale_factor": 0.05}
        context = browser.new_context(**window, offline=True, reduced_motion=moves)
        contexts.append(context)
        page = context.new_page()
        wrong: list[str] = []
        page.on("pageerror", lambda e: wrong.append(str(e)))
        page.on("console", lambda m: wrong.append(m.text) if m.type in ("error", "warning") else None)
        page.on("request", lambda r: wrong.append(r.url) if not r.url.startswith("file:") else None)
        page.goto(out.as_uri())
        page.wait_for_function("window.whorlFrame !== undefined", timeout=90_000)
        return page, wrong

    yield open_
    for context in contexts:
        context.close()


def drawn(page, frame):
    return frame_of(page, SIZE, frame)


def reckoned(effect, frame):
    plan = build(effect)
    made = picture(plan, effect.turn.phase(frame), SIZE, SIZE)
    return np.clip(np.moveaxis(made[:3], 0, -1), 0, 1) * 255


def coloured():
    """A figure in the colours of its vertices, displaced, whose eyes are plain, with a pattern on its second set of UV;
    it casts its shadow, and the camera, exposure and bloom move."""
    height = strand("height", bead("object"), bead("noise", scale=2.0))
    grain = strand("grain", bead("second-uv"), bead("noise", scale=5.0))
    channels = {"base": [{"strand": s} for s in ("own", "grain")], "displacement": [{"strand": "height"}]}
    surface = {"composite": "solid", "lighting": "lit", "displacement": 0.2, "channels": channels}
    around = {"neighbours": {"floor": {"on": True}}, "cast": "by every shape"}
    around["travel"] = {"yaw": {"motion": "sway", "amount": 20}, "distance": 1.1, "target": [0.1, 0, 0]}
    made = figure(glb(second=True), surface, (strand("own", bead("vertex-colour")), height, grain), **around)
    breathing = Sway(motion="sway", amount=0.7, base=0.2)
    bloom = made.stage.bloom.model_copy(update={"strength": Sway(motion="sway", amount=0.3, base=0.4)})
    return made.model_copy(update={"stage": made.stage.model_copy(update={"exposure": breathing, "bloom": bloom})})


@pytest.mark.parametrize(
    "what",
    [
        *("fog-gate", "buoy-ward", "soap-lantern", "moth-crate", "night-river", "breathing-sail"),
        lambda: taken(demo.demo("soap-lantern"), demo.demo("moth-crate"))[0],
        coloured,
    ],
    ids=lambda what: what if isinstance(what, str) else getattr(what, "__name__", "").replace("<lambda>", "two"),
)
def test_a_page_draws_what_the_core_does(opened, what):
    effect = demo.demo(what) if isinstance(what, str) else what()
    page, wrong = opened(effect)
    for frame in (3, 40):
        off = np.abs(drawn(page, frame) - reckoned(effect, frame))
        # The mesh goes in 16 and 12 bits, and outlines are smoothed otherwise.
        assert off.mean() < 1.5 and np.quantile(off.max(-1), 0.95) < 8, (off.mean(), np.quantile(off.max(-1), 0.95))
    assert wrong == []


def test_levers_and_variants_act_by_keyboard_too(opened):
    page, wrong = opened("fog-gate", "no-preference")
    effect = demo.demo("fog-gate")
    page.get_by_role("button", name="pause").press("Enter")
    page.get_by_role("button", name="Ember").press("Enter")
    ember = applied(effect, variant_called(effect, "Ember"))
    off = np.abs(drawn(page, 10) - reckoned(ember, 10))
    assert off.mean() < 1.5
    before = drawn(page, 10)
    slider = page.get_by_label("Rim light")
    slider.focus()
    for _ in range(30):
        page.keyboard.press("PageUp")
    assert np.abs(drawn(page, 10) - before).mean() > 0.5
    assert violations(page) == []
    # It turns by keys, and is seen from elsewhere.
    page.get_by_role("img", name="Fog Gate").focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    assert np.abs(drawn(page, 10) - before).mean() > 2
    assert wrong == []


def test_a_place_has_three_numbers_and_a_lever_takes_light_and_camera_along(opened):
    """Where a beacon stands is put by typing, and the picture follows."""
    near = strand("near", bead("beacon-distance", start=0.2, end=1.4))
    made = read(
        data(
            near,
            surface={"channels": {"emission": [{"strand": "near"}]}, "composite": "solid"},
            levers=[
                {"id": "lamp", "name": "Lamp", "kind": "place", "position": [0.0, 0.0, 1.0]},
                {"id": "glow", "name": "Glow", "value": 0.3, "least": 0.0, "most": 1.0},
            ],
            beacons=[{"id": "b", "name": "Buoy", "position": {"lever": "lamp", "low": 0, "high": 1}}],
            stage={
                "shape": "ball",
                "exposure": {"lever": "glow", "low": -1, "high": 1.5, "ease": "eased"},
                "travel": {"yaw": {"lever": "glow", "low": 0, "high": 40}},
            },
        )
    )
    page, wrong = opened(made)
    before = drawn(page, 0)
    page.get_by_label("Lamp, x", exact=True).fill("0.9")
    page.get_by_label("Lamp, z", exact=True).fill("0.2")
    page.get_by_role("slider", name="Glow").press("End")
    moved = made.levers[0].model_copy(update={"position": (0.9, 0.0, 0.2)})
    brighter = made.levers[1].model_copy(update={"value": 1.0})
    there = reckoned(made.model_copy(update={"levers": (moved, brighter)}), 0)
    assert np.abs(drawn(page, 0) - before).mean() > 2
    assert np.abs(drawn(page, 0) - there).mean() < 1.0
    assert wrong == []


def test_a_choice_of_numbers_is_one_on_the_page_and_one_of_settings_is_told(opened):
    """What a choice puts are numbers of the program; what would need another program is named as left out."""
    ring = strand("ring", bead("uv"), bead("radial", radius=0.3))
    ways = [("small", 0.3, "linear"), ("large", 0.7, "smooth")]
    choices = {
        "size": [("strands/ring/radial/radius", 1)],
        "kind": [("strands/ring/radial/shape", 2)],
    }
    levers = [
        {
            "id": id,
            "name": id.title(),
            "kind": "choice",
            "options": [
                {"name": way[0], "puts": [{"place": place, "value": way[k]} for place, k in puts]} for way in ways
            ],
        }
        for id, puts in choices.items()
    ]
    made = read(
        data(ring, surface={"channels": {"emission": [{"strand": "ring"}]}, "composite": "solid"}, levers=levers)
    )
    page, wrong = opened(made)
    assert "Left out, since another program would be needed: Kind." in page.locator("footer").inner_text()
    page.get_by_label("Size").select_option("large")
    large = made.strands[0].beads[1].model_copy(update={"params": {"radius": 0.7}})
    turned = made.strands[0].model_copy(update={"beads": (made.strands[0].beads[0], large)})
    there = reckoned(made.model_copy(update={"strands": (turned,)}), 0)
    assert np.abs(drawn(page, 0) - there).mean() < 1.0 < np.abs(drawn(page, 0) - reckoned(made, 0)).mean()
    assert violations(page) == [] and wrong == []


def test_it_rests_where_motion_is_not_wanted_and_loops_where_it_is(opened):
    page, _ = opened("fog-gate")
    first = page.evaluate("window.whorlFrame")
    page.wait_for_timeout(1200)
    assert page.evaluate("window.whorlFrame") == first
    page.get_by_role("button", name="play").click()
    page.wait_for_function(f"window.whorlFrame > {first} + 5")
    page.wait_for_function("window.whorlFrame > 80")
    page.wait_for_function("window.whorlFrame < 30")


@pytest.fixture
def shown(browser, tmp_path):
    """A page of one's own with effects as elements, served from a folder; gives the page and what went wrong on it."""
    handler = functools.partial(http.server.SimpleHTTPRequestHandler, directory=str(tmp_path))
    handler.log_message = lambda *a: None
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    context = browser.new_context(viewport={"width": 900, "height": 600}, device_scale_factor=0.25)

    def show(slug, inside):
        write_element(demo.demo(slug), tmp_path)
        (tmp_path / "own.html").write_text(
            f"""<!doctype html><html lang="en"><title>own</title><script src="whorl-effect.js"></script>
            <script>window.told = [];
            for (const kind of ["ready", "lever", "hit", "fault"])
              addEventListener(kind, (e) => told.push([kind, e.detail]), true);</script>
            <body>{inside}</body></html>"""
        )
        page = context.new_page()
        wrong: list[str] = []
        page.on("pageerror", lambda e: wrong.append(str(e)))
        page.goto(f"http://127.0.0.1:{server.server_port}/own.html")
        return page, wrong

    yield show
    context.close()
    server.shutdown()


def kinds(page, kind):
    return [detail for name, detail in page.evaluate("told") if name == kind]


def of_element(page, frame):
    pixels = page.evaluate(f"document.querySelector('whorl-effect').pixels({SIZE}, {frame})")
    return np.asarray(pixels, float).reshape(SIZE, SIZE, 4)[::-1, :, :3]


SIZED = 'style="width: 200px; height: 200px"'


def test_an_effect_is_an_element_with_attributes_and_events(shown):
    inside = f'<whorl-effect src="fog-gate.whorl-play" lever-inner-mist="0.1" {SIZED}></whorl-effect>'
    page, wrong = shown("fog-gate", inside)
    page.wait_for_function("told.some(([kind]) => kind === 'ready')", timeout=60_000)
    told = kinds(page, "ready")[0]
    assert "inner-mist" in told["levers"] and "Ember" in told["variants"]
    effect = demo.demo("fog-gate")
    turned = tuple(x.model_copy(update={"value": 0.1}) if x.name == "Inner mist" else x for x in effect.levers)
    here = effect.model_copy(update={"levers": turned})
    assert np.abs(of_element(page, 10) - reckoned(here, 10)).mean() < 1.0
    # Turned by an attribute, by a method, by a variant; each is told.
    page.evaluate("document.querySelector('whorl-effect').setAttribute('lever-rim-light', '0')")
    page.wait_for_function("told.some(([k, d]) => k === 'lever' && d.name === 'rim-light' && d.value === 0)")
    assert page.evaluate("document.querySelector('whorl-effect').turn('brightness', 2)")
    assert page.evaluate("document.querySelector('whorl-effect').lever('brightness')") == 2
    assert page.evaluate("document.querySelector('whorl-effect').variant('Ember')")
    ember = applied(effect, variant_called(effect, "Ember"))
    assert np.abs(of_element(page, 10) - reckoned(ember, 10)).mean() < 1.0
    # A phase that is given is where it stands.
    page.evaluate("document.querySelector('whorl-effect').setAttribute('phase', '0.5')")
    page.wait_for_function("document.querySelector('whorl-effect').frame === 48")
    page.wait_for_timeout(600)
    assert page.evaluate("document.querySelector('whorl-effect').frame") == 48
    page.evaluate("document.querySelector('whorl-effect').setAttribute('lever-hue', 'a lot')")
    page.wait_for_function("told.some(([kind]) => kind === 'fault')")
    assert "is not what Hue takes" in kinds(page, "fault")[0]["words"]
    page.evaluate("document.querySelector('whorl-effect').remove()")
    assert wrong == []


def test_what_strikes_an_element_is_seen(shown):
    page, wrong = shown("buoy-ward", f'<whorl-effect src="buoy-ward.whorl-play" phase="0.9" {SIZED}></whorl-effect>')
    page.wait_for_function("told.some(([kind]) => kind === 'ready')", timeout=60_000)
    before = of_element(page, 80)
    assert page.evaluate("document.querySelector('whorl-effect').hit([0, 0.6, 0.8], 1)")
    page.wait_for_timeout(300)
    assert np.abs(of_element(page, 80) - before).mean() > 0.3
    assert kinds(page, "hit")[0]["position"] == [0, 0.6, 0.8]
    assert wrong == []


def test_an_element_says_what_is_wrong(shown):
    page, wrong = shown("fog-gate", f'<whorl-effect src="none.whorl-play" {SIZED}></whorl-effect>')
    page.wait_for_function("told.some(([kind]) => kind === 'fault')")
    assert "none.whorl-play answers 404" in kinds(page, "fault")[0]["words"]
    assert page.evaluate("document.querySelector('whorl-effect').hit([0, 0, 0])") is False
    assert wrong == []
