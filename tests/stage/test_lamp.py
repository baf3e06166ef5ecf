"""Light that is cast by any shape, from what the key lamp sees of it: against rays in closed form."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.documents import bead, data, strand
from whorl.checks import check
from whorl.effect import camera as cameras
from whorl.effect import read
from whorl.effect.places import changed
from whorl.fields import cast
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.shade.values import Vec3, Vec4
from whorl.stage import sight
from whorl.stage.frame import Film, Sides, frame, picture

SIZE = 128
YAW, PITCH = 50.0, 40.0
LAMP = np.array(
    [
        np.sin(np.radians(YAW)) * np.cos(np.radians(PITCH)),
        np.sin(np.radians(PITCH)),
        np.cos(np.radians(YAW)) * np.cos(np.radians(PITCH)),
    ]
)


def on_floor(shape, strands=(), size=1.0, cast_="by every shape", lamp=(YAW, PITCH), **surface):
    """A shape over a floor in the light of the key lamp alone."""
    off = {"on": False}
    stage = {
        "shape": shape,
        "size": size,
        "cast": cast_,
        "bloom": {"strength": 0},
        "camera": {"yaw": 20, "pitch": 35, "distance": 7},
        "lamps": {"key": {"yaw": lamp[0], "pitch": lamp[1]}, "fill": off, "rim": off},
        "neighbours": {"floor": {"on": True, "finish": "plain"}},
    }
    return read(data(*strands, surface={"composite": "solid", "lighting": "lit", **surface}, stage=stage))


def floor_of(effect):
    """Places on the floor (n, 3) where lines of sight meet it, and what nodes give there, by their function's name."""
    plan = build(effect)
    view = cameras.numbers(effect.stage, SIZE, SIZE)
    side = Sides(plan, effect.stage, view, 0.0, SIZE, SIZE)
    view, layers = side.lamp(view)
    rays = sight.rays(effect.stage.camera, SIZE, SIZE)
    eye, ways = np.array(view["eye"]), np.stack(rays["at_ray"], axis=1).astype(float)
    t = (effect.stage.neighbours.floor.height - eye[1]) / ways[:, 1]
    places = eye + ways * t[:, None]

    def of(name, **fixed):
        nodes = [n for n in plan.nodes if n.function and n.function.tree.name == name]
        node = next(n for n in nodes if set(fixed.items()) <= set(n.fixed))
        return np.stack(Evaluation(plan, node)(rays, 0.0, camera=view, layers=layers), axis=1)

    near = (t > 0) & (np.abs(places).max(axis=1) < 6)
    return places[near], lambda name, **fixed: of(name, **fixed)[near]


def hits_box(places, half):
    """How much room a ray towards the lamp has to the sides of a box about the middle; below 0 it passes by (slabs)."""
    first, last = np.full(len(places), -np.inf), np.full(len(places), np.inf)
    for k in range(3):
        a, b = (-half[k] - places[:, k]) / LAMP[k], (half[k] - places[:, k]) / LAMP[k]
        first, last = np.maximum(first, np.minimum(a, b)), np.minimum(last, np.maximum(a, b))
    return last - first


@pytest.mark.parametrize("size", [1.0, 0.7])
def test_a_box_casts_the_shadow_of_a_box(size):
    effect = on_floor("box", size=size)
    places, of = floor_of(effect)
    share = of("lamp_spot")[:, 2]
    mesh = effect.stage.mesh_of()
    room = hits_box(places, (np.abs(mesh.positions).max(axis=0) * size).astype(float))
    # Edges are soft; well within and well without there is no doubt.
    assert (room > 0.25).sum() > 100 and (room < -0.25).sum() > 1000
    assert share[room > 0.25].min() > 0.99 and share[room < -0.25].max() < 0.01


def test_the_place_that_light_came_through_lies_between_and_carries_all_that_strands_ask_of_it():
    stripes = strand("stripes", bead("box"), bead("linear", direction=[0, 1, 0]))
    channels = {"opacity": [{"strand": "stripes"}]}
    effect = on_floor("ball", (stripes,), composite="see-through", channels=channels | {"displacement": []})
    lifted = changed(effect, "surface/channels/displacement", [{"strand": "stripes"}])
    effect = changed(lifted, "surface/displacement", 0.0)
    places, of = floor_of(effect)
    share = of("lamp_spot")[:, 2]
    whole = share > 0.99
    made = of("lamp_held", square=0)[whole]
    # The first that the lamp sees of the ball: by the ray, from its far end.
    p = places[whole]
    along = -(p @ LAMP)
    off = p + LAMP * along[:, None]
    on = off + LAMP * np.sqrt(np.maximum(1 - (off**2).sum(axis=1), 0))[:, None]
    sure = (off**2).sum(axis=1) < 0.8
    assert sure.sum() > 100 and np.abs(made[:, :3] - on)[sure].max() < 0.02
    bounds = of("lamp_held", square=2)[whole]
    assert np.abs(bounds[:, :3] - (on + 1) / 2)[sure].max() < 0.012 and bounds[:, 3].min() > 0.999
    held = of("lamp_held", square=1)[whole]
    normals = np.array([list(cast.held_normal(Vec4(*map(float, row)))) for row in held[sure]])
    # But for folds of the octahedron.
    assert np.quantile(np.abs(normals - on[sure]), 0.995) < 0.02 and np.abs(normals - on[sure]).max() < 0.1
    # UV of a ball: u round from behind, v up by the angle.
    u = np.arctan2(on[:, 0], on[:, 2]) / (2 * np.pi) + 0.5
    v = np.arcsin(np.clip(on[:, 1], -1, 1)) / np.pi + 0.5
    seam = (np.abs(u - 0.5) < 0.45) & (np.abs(v - 0.5) < 0.4) & sure
    assert np.abs(held[:, 0] - u)[seam].max() < 0.01 and np.abs(held[:, 1] - v)[seam].max() < 0.01


def test_a_ball_casts_the_same_by_its_picture_as_in_closed_form():
    flat = strand("flat", bead("constant", value=0.4))
    channels = {"opacity": [{"strand": "flat"}], "displacement": [{"strand": "flat"}]}
    given = {"composite": "see-through", "displacement": 0.0, "channels": channels}
    exact = frame(build(on_floor("ball", (flat,), cast_="by plain shapes", **given)), 0.0, SIZE, SIZE)
    drawn = frame(build(on_floor("ball", (flat,), **given)), 0.0, SIZE, SIZE)
    off = np.abs(exact - drawn)[..., :3].max(axis=-1)
    # But for its edge, whose softness differs.
    assert (off > 0.02).mean() < 0.01 and off.max() < 0.25
    bare = frame(build(changed(on_floor("ball", (flat,), **given), "stage/lamps/key/on", False)), 0.0, SIZE, SIZE)
    assert np.abs(bare - drawn).max() > 0.1


def test_what_moves_casts_where_it_is():
    """A shape that is displaced to one side has its shadow there; a lamp that turns takes it along."""
    way = strand("way", bead("constant", value=1.0))
    given = {"channels": {"displacement": [{"strand": "way"}]}, "displaced": "in a direction", "direction": [1, 0, 0]}
    middles = []
    for far in (0.0, 0.5):
        places, of = floor_of(on_floor("box", (way,), displacement=far, **given))
        share = of("lamp_spot")[:, 2]
        middles.append((places * share[:, None]).sum(axis=0) / share.sum())
    assert middles[1] - middles[0] == pytest.approx([0.5, 0, 0], abs=0.05)
    places, of = floor_of(on_floor("box", lamp=(YAW + 180, PITCH)))
    share = of("lamp_spot")[:, 2]
    # On the other side of the stage.
    assert ((places * share[:, None]).sum(axis=0) / share.sum() @ LAMP) > 0 > middles[0] @ (LAMP * [1, 0, 1])


def test_frames_of_a_film_share_what_the_lamp_sees_only_while_that_stays():
    still = on_floor("box")
    turning = changed(still, "stage/lamps/key/yaw", {"motion": "drift", "cycles": 1.0})
    for effect in (still, turning):
        plan = build(effect)
        film = Film(plan)
        for phase in (0.0, 0.4):
            alone = picture(plan, phase, 64, 64)
            assert np.abs(picture(plan, phase, 64, 64, film=film) - alone).max() < 1e-3
    assert film.lamp is None


def test_only_what_is_asked_for_is_drawn_by_the_lamp():
    assert build(on_floor("box", cast_="by plain shapes")).lamp is None
    assert build(on_floor("ball")).lamp is None
    assert build(on_floor("box")).lamp is not None
    assert build(changed(on_floor("box"), "stage/lamps/key/on", False)).lamp is None


def test_a_shape_that_casts_no_light_can_be_let_to():
    rim = strand("rim", bead("fresnel"))
    given = {"composite": "see-through", "channels": {"cast": [{"strand": "rim"}], "opacity": [{"strand": "rim"}]}}
    effect = on_floor("box", (rim,), cast_="by plain shapes", **given)
    found = [f for f in check(effect) if f.kind == "light on nothing"]
    assert len(found) == 1 and found[0].mends
    change = found[0].mends[0].changes[0]
    assert [f for f in check(changed(effect, change.place, change.value)) if f.kind == "light on nothing"] == []


@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda v: np.linalg.norm(v) > 0.1))
def test_normals_come_back_from_the_octahedron(v):
    n = np.array(v) / np.linalg.norm(v)
    folded = cast.octahedral(Vec3(*map(float, n)))
    back = list(cast.held_normal(Vec4(0.0, 0.0, folded.x, folded.y)))
    assert back == pytest.approx(n.tolist(), abs=1e-5)
