"""Signals against python-osc's own sender, the words of the OSC specification, and closed forms."""

import itertools
import json
import math
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pythonosc.osc_bundle_builder import IMMEDIATELY, OscBundleBuilder
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.udp_client import SimpleUDPClient

from whorl import demo
from whorl.effect.document import Effect, Held, Lever, Tie, Turn, Variant
from whorl.effect.levers import applied, between, param_of, standing, variant_called
from whorl.effect.places import param_at
from whorl.effect.value import MOST_KEYS
from whorl.motion.thinning import thinned
from whorl.motion.values import Track
from whorl.refused import Refused
from whorl.signals.following import Follower, Strike, Take
from whorl.signals.heard import MOST_KNOWN, Heard
from whorl.signals.messages import MOST_BYTES, Malformed, Message, matches, of_datagram, of_text
from whorl.signals.night import Night
from whorl.signals.port import MOST_A_SECOND, Port
from whorl.signals.recording import hits_of, keys_of

LEVEL = Lever(id="level", name="Water Level", least=2.0, most=6.0, floor=0.0, ceiling=8.0, value=3.0, rest=3.0)
GLOW = Lever(id="glow", name="Glow", kind="colour", colour=(1.0, 0.5, 0.0), rest_colour=(2.0, 1.0, 0.5))
LAMP = Lever(id="lamp", name="Lamp", kind="switch")
STEPS = Lever(id="steps", name="Steps", least=0.0, most=10.0, floor=0.0, ceiling=10.0, whole=True)
ALL = (LEVEL, GLOW, LAMP, STEPS)


def effect(*ties, levers=ALL, **more):
    return Effect(name="Night Watch", levers=levers, ties=ties, **more)


def tie(address, lever="level", **more):
    return Tie(id=f"t-{lever}", address=address, lever=lever, **more)


def after(follower, moment):
    return follower.state(moment).levers


# --- messages -----------------------------------------------------------------------------


def datagram(address, *arguments):
    built = OscMessageBuilder(address)
    for x in arguments:
        built.add_arg(x)
    return built.build().dgram


def test_what_another_sender_writes_is_read():
    assert of_datagram(datagram("/a/b", 0.5, 3, True, "ember")) == [Message("/a/b", (0.5, 3.0, 1.0, "ember"))]
    bundle = OscBundleBuilder(IMMEDIATELY)
    for n in range(3):
        bundle.add_content(OscMessageBuilder(f"/n/{n}").build())
    assert [m.address for m in of_datagram(bundle.build().dgram)] == ["/n/0", "/n/1", "/n/2"]


@given(
    st.binary(max_size=200)
    | st.binary(max_size=60).map(lambda b: b"/a\0\0,f\0\0" + b)
    | st.binary().map(lambda b: b"#bundle\0" + b)
)
@settings(max_examples=400)
def test_any_datagram_is_messages_or_malformed(data):
    try:
        found = of_datagram(data)
    except Malformed:
        return
    assert all(math.isfinite(x) for m in found for x in m.numbers)


@given(
    st.text(max_size=80)
    | st.recursive(
        st.none() | st.booleans() | st.floats() | st.text(max_size=6),
        lambda x: (
            st.lists(x, max_size=3) | st.dictionaries(st.sampled_from(["address", "arguments", "x"]), x, max_size=3)
        ),
        max_leaves=8,
    ).map(json.dumps)
)
@settings(max_examples=400)
def test_any_text_is_a_message_or_malformed(text):
    try:
        found = of_text(text)
    except Malformed:
        return
    assert found.address.startswith("/")


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"/a",
        b"x" * (MOST_BYTES + 4),
        datagram("/a", float("nan")),
        datagram("/a", float("inf")),
        datagram("/a b", 1.0),
        datagram("/a", *range(9)),
    ],
)
def test_what_is_no_signal_is_malformed(data):
    with pytest.raises(Malformed):
        of_datagram(data)


@pytest.mark.parametrize(
    ("pattern", "address", "meant"),
    [
        ("/a/b", "/a/b", True),
        ("/a/?", "/a/b", True),
        ("/a/?", "/a/bc", False),
        ("/*/b", "/anything/b", True),
        ("/*", "/a/b", False),
        ("/a*c", "/abbc", True),
        ("/[a-c]x", "/bx", True),
        ("/[a-c]x", "/dx", False),
        ("/[!a-c]x", "/dx", True),
        ("/[!a-c]x", "/bx", False),
        ("/{tide,gust}/1", "/gust/1", True),
        ("/{tide,gust}/1", "/lamp/1", False),
        ("/[", "/[", True),
        ("/[a", "/a", False),
        ("/{a", "/a", False),
        ("/[z-a]", "/m", False),
        ("/.", "/a", False),
        ("/a|/b", "/b", False),
    ],
)  # fmt: skip
def test_patterns_mean_what_the_specification_says(pattern, address, meant):
    assert matches(pattern, address) is meant


@given(st.text(st.sampled_from("ab/*?[]{},!-^\\.|()"), max_size=30), st.text(st.sampled_from("ab/-^"), max_size=30))
def test_no_pattern_is_a_fault(pattern, address):
    assert matches("/" + pattern, "/" + address) in (True, False)


def test_many_stars_do_not_take_for_ever():
    start = time.perf_counter()
    assert not matches("/" + "*" * 150 + "x", "/" + "a" * 190)
    assert time.perf_counter() - start < 1.0


# --- following ----------------------------------------------------------------------------


def test_a_lever_is_addressed_by_id_or_name_and_held_within_what_it_accepts():
    f = Follower(effect())
    for address in ("/whorl/night-watch/lever/level", "/whorl/night-watch/lever/water-level", "/whorl/*/lever/water*"):
        assert f.take(Message(address, (5.0,)), 0.0) == ["level"]
        assert after(f, 0.0) == {"level": 5.0}
        f.let_go()
    f.take(Message("/whorl/night-watch/lever/level", (-50.0,)), 0.0)
    assert after(f, 0.0)["level"] == 0.0
    assert f.take(Message("/whorl/other/lever/level", (5.0,)), 0.0) == []
    assert f.take(Message("/whorl/night-watch/lever/level", ("high",)), 0.0) == []


def test_colours_switches_and_whole_steps():
    f = Follower(effect())
    base = "/whorl/night-watch/lever/"
    f.take(Message(base + "glow", (0.1, 0.2, 5000.0)), 0.0)
    f.take(Message(base + "lamp", (0.0,)), 0.0)
    f.take(Message(base + "steps", (3.4,)), 0.0)
    assert after(f, 0.0) == {"glow": (0.1, 0.2, 1000.0), "lamp": 0.0, "steps": 3.0}
    assert f.take(Message(base + "glow", (0.1,)), 0.0) == []


def test_a_tie_goes_over_the_range_of_its_lever_and_of_a_colour_makes_brightness():
    f = Follower(effect(tie("/sea/tide", low=-2.0, high=2.0), tie("/sea/lamp", "glow"), tie("/sea/on", "lamp")))
    for arrives, stands in ((-2.0, 2.0), (0.0, 4.0), (2.0, 6.0), (3.0, 7.0), (9.0, 8.0)):
        f.take(Message("/sea/tide", (arrives,)), 0.0)
        assert after(f, 0.0)["level"] == stands
    f.take(Message("/sea/lamp", (0.5,)), 0.0)
    f.take(Message("/sea/on", (0.4,)), 0.0)
    assert after(f, 0.0)["glow"] == (1.0, 0.5, 0.25)
    assert after(f, 0.0)["lamp"] == 0.0


def test_smoothing_is_a_low_pass_of_the_first_order():
    f = Follower(effect(tie("/s", smoothing=0.5)))
    f.take(Message("/s", (1.0,)), 10.0)
    for t in (0.0, 0.2, 0.5, 1.0, 2.0):
        assert after(f, 10.0 + t)["level"] == pytest.approx(6.0 + (3.0 - 6.0) * math.exp(-t / 0.5), abs=1e-9)
    # However often it is looked at, and wherever something new comes in between.
    g = Follower(effect(tie("/s", smoothing=0.5)))
    g.take(Message("/s", (1.0,)), 10.0)
    for t in np.linspace(0, 1, 37):
        g.state(10.0 + t)
    assert after(g, 11.0) == pytest.approx(after(f, 11.0))
    g.take(Message("/s", (0.0,)), 11.0)
    assert after(g, 11.0) == pytest.approx(after(f, 11.0))


def test_in_silence_it_stays_or_goes_back():
    stays = Follower(effect(tie("/s", smoothing=0.1)))
    back = Follower(effect(tie("/s", smoothing=0.1, silence="goes back", after=2.0)))
    for f in (stays, back):
        f.take(Message("/s", (1.0,)), 0.0)
        assert after(f, 1.9)["level"] == pytest.approx(6.0, abs=1e-3)
        f.state(2.1)
    assert after(stays, 60.0)["level"] == pytest.approx(6.0, abs=1e-3)
    assert 3.0 < after(back, 2.2)["level"] < 6.0
    assert after(back, 60.0) == {} and not back.restless(60.0)


@given(
    st.lists(
        st.tuples(
            st.sampled_from(
                [
                    "/s",
                    "/whorl/night-watch/lever/level",
                    "/whorl/*/lever/*",
                    "/whorl/night-watch/variant",
                    "/whorl/*/hit",
                    "/whorl/*/phase",
                ]
            ),
            st.lists(st.floats(-1e9, 1e9) | st.sampled_from(["high", "low", ""]), max_size=4),
            st.floats(0, 3),
        ),
        max_size=12,
    )
)
@settings(max_examples=200)
def test_whatever_arrives_no_lever_leaves_what_it_accepts(came):
    held = (Held(lever="level", value=1e6), Held(lever="glow", value=(5.0, 5.0, 5.0)), Held(lever="lamp", value=0.0))
    made = effect(
        tie("/s", smoothing=0.3, silence="goes back", after=1.0),
        variants=(Variant(id="high", name="High", holds=held),),
    )
    f, now = Follower(made), 0.0
    f.record(0.0)
    for address, arguments, wait in came:
        f.take(Message(address, tuple(arguments)), now)
        now += wait
        state = f.state(now)
        assert 0 <= state.levers.get("level", 0.0) <= 8 and state.levers.get("lamp", 0.0) in (0.0, 1.0)
        assert all(0 <= x <= 1000 for x in state.levers.get("glow", ()))
        assert state.phase is None or 0 <= state.phase <= 1
        assert all(0 <= s.strength <= 100 for s in state.strikes)


def test_a_variant_is_gone_to_over_a_while():
    made = demo.demo("fog-gate")
    f = Follower(made)
    assert f.take(Message("/whorl/fog-gate/variant", ("Ember", 2.0)), 5.0) == ["variant"]
    here = Variant(id="here", name="here", holds=tuple(Held(lever=x.id, value=standing(x)) for x in made.levers))
    there = variant_called(made, "Ember")
    for t in (0.0, 0.7, 1.5):
        want = between(made, here, there, t / 2.0)
        assert after(f, 5.0 + t) == {h.lever: pytest.approx(want[h.lever]) for h in there.holds}
    stands = {x.id: standing(x) for x in applied(made, there).levers}
    assert after(f, 7.0) == {h.lever: pytest.approx(stands[h.lever]) for h in there.holds} and not f.restless(9.0)
    assert f.take(Message("/whorl/fog-gate/variant", ("Nowhere",)), 9.0) == []


def test_hits_and_the_phase():
    f = Follower(effect())
    f.take(Message("/whorl/night-watch/hit", (0.1, 0.2, 0.3)), 1.0)
    f.take(Message("/whorl/night-watch/hit", (0.1, 0.2, 0.3, -5.0)), 2.0)
    f.take(Message("/whorl/night-watch/phase", (1.25,)), 3.0)
    assert f.take(Message("/whorl/night-watch/hit", (0.1, 0.2)), 3.0) == []
    state = f.state(3.0)
    assert state.strikes == [Strike((0.1, 0.2, 0.3), 1.0, 1.0), Strike((0.1, 0.2, 0.3), 0.0, 2.0)]
    assert state.phase == 0.25
    assert f.state(3.0).strikes == [] and f.state(3.0).phase is None


# --- recording ----------------------------------------------------------------------------


def rows_of(motion, lever, turn):
    return Track(motion, param_of(lever), turn.looping).rows(turn.phases)[:, 0]


def recorded(turn, sends, tolerance, **ties):
    """What a follower keeps over a turn of messages at moments from nought."""
    f = Follower(effect(tie("/s", low=0.0, high=1.0, **ties), turn=turn))
    f.record(0.0)
    for at, value in sends:
        f.take(Message("/s", (value,)), at)
    f.state(turn.seconds + 1.0)
    take = f.recording
    assert take.due() is None and len(take.rows) == turn.frames
    return take, keys_of(take, f.effect, tolerance)


@pytest.mark.parametrize("plays", ["looping", "once"])
@pytest.mark.parametrize("tolerance", [0.005, 0.02, 0.1])
def test_keys_give_the_signal_at_every_frame(plays, tolerance):
    turn = Turn(seconds=4.0, fps=30, plays=plays)
    sends = [(t, 0.5 + 0.4 * math.sin(2 * math.pi * t / 4) + 0.02 * math.sin(19 * t)) for t in np.arange(0, 4, 1 / 40)]
    take, keys = recorded(turn, sends, tolerance, smoothing=0.05)
    (found,) = keys
    truth = np.asarray([row.get("level", 3.0) for row in take.rows])
    off = np.abs(rows_of(found.motion, LEVEL, turn) - truth).max()
    assert off <= 4.0 * tolerance + 1e-6 and found.error == pytest.approx(off, abs=1e-6)
    assert len(found.motion.keys) < turn.frames / 2


def test_each_frame_is_kept_at_its_very_time():
    turn = Turn(seconds=1.0, fps=10)
    take, _ = recorded(turn, [(0.35, 1.0)], 0.01, smoothing=0.2)
    for f, row in enumerate(take.rows):
        want = 3.0 if f / 10 < 0.35 else 6.0 - 3.0 * math.exp(-(f / 10 - 0.35) / 0.2)
        assert row.get("level", 3.0) == pytest.approx(want)


def test_too_rough_a_signal_is_told_by_its_error():
    heights = np.asarray([0.0, 1.0] * 100)
    chosen, error = thinned(np.arange(200) / 200, heights[:, None], 0.01, 64)
    assert len(chosen) == MOST_KEYS and error > 0.01
    chosen, error = thinned(np.arange(50) / 50, np.linspace(0, 3, 50)[:, None], 1e-9, 64)
    assert chosen == [0, 49] and error < 1e-9


def test_colours_and_places_are_kept_as_keys_too():
    turn = Turn(seconds=2.0, fps=20)
    glow = Lever(id="glow", name="Glow", kind="colour", rest_colour=(1.0, 0.5, 0.0), colour=(1.0, 0.5, 0.0))
    spot = Lever(id="spot", name="Spot", kind="place")
    f = Follower(effect(turn=turn).model_copy(update={"levers": (glow, spot)}))
    f.record(0.0)
    for t in np.arange(0, 2, 0.05):
        f.take(Message(f"/whorl/{f.name}/lever/glow", (t, t * t, 4.0 - t)), float(t))
        f.take(Message(f"/whorl/{f.name}/lever/spot", (math.sin(t), 0.0, -t)), float(t))
    f.state(3.0)
    found = {k.lever: k for k in keys_of(f.recording, f.effect, 0.02)}
    assert {k.field for k in found.values()} == {"colour", "position"}
    for lever, reach in (("glow", 0.02 * 4.0), ("spot", 0.02 * 3.0)):
        # What came at the very moment of the first frame came after it.
        truth = np.asarray([row.get(lever, standing(f.levers[lever])) for row in f.recording.rows])
        made = Track(found[lever].motion, param_at(f"levers/x/{found[lever].field}"), True).rows(turn.phases)
        assert np.abs(made - truth).max() <= reach + 1e-6 and len(found[lever].motion.keys) < 30


def test_a_bundle_acts_at_the_time_that_it_tells():
    """OSC 1.0: what is due later waits, what is late acts at once."""
    port, came = Port(port=0), []
    port.open()
    try:
        with port.telling(lambda m, at: came.append((m.address, time.time()))):
            client, begun = SimpleUDPClient("127.0.0.1", port.number), time.time()
            for name, at in (
                ("/third", begun + 0.6),
                ("/second", begun + 0.3),
                ("/late", begun - 5),
                ("/never", begun + 900),
            ):
                made = OscBundleBuilder(at)
                made.add_content(OscMessageBuilder(name).build())
                client.send(made.build())
            client.send_message("/plain", 1.0)
            until(lambda: len(came) == 4)
        assert [name for name, _ in came] == ["/late", "/plain", "/second", "/third"]
        for (_, at), due in zip(came[2:], (0.3, 0.6), strict=True):
            assert begun + due - 1e-3 <= at < begun + due + 0.25
        assert port.heard.dropped == 1
    finally:
        port.close()


def test_what_struck_becomes_hits_of_the_turn():
    take = Take(10.0, Turn(seconds=4.0), strikes=[Strike((0, 0, 1), float(i % 7), 10.0 + i * 0.2) for i in range(20)])
    hits = hits_of(take, [])
    assert len(hits) == 16 and min(h.strength for h in hits) >= 1.0
    assert [h.phase for h in hits] == sorted(h.phase for h in hits) and len({h.id for h in hits}) == 16


# --- what is heard, and the port ----------------------------------------------------------


def test_rates_traces_and_no_more_memory_than_is_shown():
    heard = Heard()
    for i in range(6000):
        heard.take(Message("/a", (float(i),)), 100.0 + i / 1000)
    known = heard.known["/a"]
    assert known.rate(106.0) == pytest.approx(1000, rel=0.06)
    assert len(known.points) <= 100 and known.trace(106.0)[-1][1] == 5999.0
    for i in range(3 * MOST_KNOWN):
        heard.take(Message(f"/n/{i}"), 200.0 + i)
    assert len(heard.known) == MOST_KNOWN and f"/n/{3 * MOST_KNOWN - 1}" in heard.known and "/a" not in heard.known


def test_the_newest_of_each_address_arrives_and_what_is_malformed_is_counted():
    port, newest = Port(port=0), {}
    port.open()
    try:
        with port.telling(lambda m, at: newest.update({m.address: m.numbers[0]})):
            client = SimpleUDPClient("127.0.0.1", port.number)
            for i in range(2000):
                client.send_message(f"/a/{i % 7}", float(i))
                if i % 100 == 0:
                    client._sock.sendto(b"/not osc", ("127.0.0.1", port.number))
                    time.sleep(0.05)
            until(lambda: newest.get("/a/4") == 1999.0)
        assert newest == {f"/a/{k}": float(max(i for i in range(2000) if i % 7 == k)) for k in range(7)}
        assert port.heard.dropped == 20
    finally:
        port.close()
    assert not port.listening


def test_more_than_it_takes_in_a_second_is_dropped_and_counted():
    port = Port()
    took = [port.take(Message("/a", (1.0,))) for _ in range(3 * MOST_A_SECOND)]
    # The second may have turned in between.
    assert MOST_A_SECOND <= sum(took) <= 2 * MOST_A_SECOND and port.heard.dropped == took.count(False)


def test_a_port_that_is_taken_is_told():
    first = Port(port=0)
    first.open()
    try:
        with pytest.raises(Refused, match="cannot be taken"):
            Port(port=first.number).open()
    finally:
        first.close()


def test_the_stand_in_plays_to_the_port():
    port, came = Port(port=0), []
    port.open()
    try:
        with port.telling(lambda m, at: came.append(m)):
            port.play(7, 20.0)
            until(lambda: len(came) > 200)
        port.play(None)
        expected = [m.message for m in itertools.islice(Night(7).moments(), len(came))]
        # Floats cross the wire as 32 bits.
        for got, want in zip(came, expected, strict=True):
            assert got.address == want.address and got.numbers == pytest.approx(want.numbers, rel=1e-6)
    finally:
        port.close()


def until(met, seconds=10.0):
    end = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < end
        time.sleep(0.01)


# --- the night ----------------------------------------------------------------------------


def test_a_night_is_made_by_its_seed_and_stays_within_what_it_says():
    def first(seed):
        return list(itertools.islice(Night(seed).moments(), 4000))

    assert first(3) == first(3) != first(4)
    night, times = Night(3), np.arange(0, 120, 0.05)
    for name, low, high in (("tide", -1.4, 1.4), ("gust", 0, 1), ("lamp", 0, 1.01), ("gate", 0, 1)):
        told = np.asarray([getattr(night, name)(t) for t in times])
        assert low <= told.min() and told.max() <= high and np.ptp(told) > 0.5 * (high - low), name
    # A gate opens and closes, and does not jump.
    gate = np.asarray([night.gate(t) for t in times])
    assert np.abs(np.diff(gate)).max() < 0.05 and gate.max() > 0.99 and (gate[gate.argmax() :] < 0.01).any()
    at = [m.at for m in first(3)]
    assert at == sorted(at)


@pytest.mark.parametrize(("slug", "moves"), [("tide-gauge", "level"), ("buoy-ward", "hit"), ("fog-gate", "opening")])
def test_three_demo_effects_follow_the_night(slug, moves):
    f, moved, seen = Follower(demo.demo(slug)), set(), set()
    for m in itertools.islice(Night(1).moments(), 3000):
        moved |= set(f.take(m.message, m.at))
        seen.add(round(float(f.state(m.at).levers.get(moves, 0.0)), 2))
    assert moves in moved
    assert moves == "hit" or len(seen) > 10
