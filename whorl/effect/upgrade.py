"""Documents of older versions, brought up to what is read now."""

from typing import Any


def stage(given: Any) -> Any:
    """Meshes alone used to have a size, and edges that could be hard."""
    mesh = given.get("mesh") if isinstance(given, dict) else None
    if not isinstance(mesh, dict) or not {"size", "hard"} & set(mesh):
        return given
    now = {"size": mesh.get("size", 1.0), "edges": "hard" if mesh.get("hard") else "as made"}
    return {**now, **given, "mesh": {k: v for k, v in mesh.items() if k not in ("size", "hard")}}


#: What of a motion or a lever is a number of what it moves.
_AMOUNTS = frozenset({"amount", "base", "low", "high", "value", "about", "cycles", "by"})


def surface(given: Any) -> Any:
    """What is seen through used to be multiplied by one number."""
    if not isinstance(given, dict) or "background" not in given:
        return given
    return {**given, "background": _threefold(given["background"])}


#: What a surface has apart from what it is made of.
_OF_SURFACE = frozenset({"sides", "far", "second"})


def with_second(given: Any) -> Any:
    """A second surface used to have seven channels of its own, and all else from the first: where it does not say how
    it goes with what is behind, what it leaves out is as the first has it."""
    second = given.get("second") if isinstance(given, dict) else None
    if not isinstance(second, dict) or "composite" in second:
        return given
    shared = {name: value for name, value in given.items() if name not in (*_OF_SURFACE, "channels")}
    now = {"composite": "see-through", **shared, **second}
    first, own = given.get("channels", {}), second.get("channels", {})
    if isinstance(first, dict) and isinstance(own, dict):
        masked = bool(own.get("opacity"))
        kept = {name: own[name] for name in _SECONDS_OWN if name in own}
        whole = {name: first[name] for name in first if name not in _SECONDS_OWN or (name == "opacity" and not masked)}
        now["channels"] = kept | whole
        if masked:
            now["opacity"] = second.get("opacity", 1.0)
    return {**given, "second": now}


_SECONDS_OWN = ("base", "emission", "opacity", "roughness", "metallic", "normal", "occlusion")


def _threefold(value: Any, counts: bool = True) -> Any:
    """A number as three equal ones; in a motion, those that are amounts of what it moves."""
    if isinstance(value, dict):
        rounds = value.get("motion") != "drift"
        return {k: _threefold(v, k in _AMOUNTS and not (k == "cycles" and rounds)) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [_threefold(v, False) for v in value]
    return [value] * 3 if counts and isinstance(value, int | float) and not isinstance(value, bool) else value


def bead(given: Any) -> Any:
    """What changes a pattern in place used to have other names."""
    if not isinstance(given, dict):
        return given
    out = dict(given)
    for part, was, now in (("settings", "evolution", "churns"), ("params", "evolve", "churn")):
        held = out.get(part)
        if isinstance(held, dict) and was in held and now not in held:
            out[part] = {now if name == was else name: value for name, value in held.items()}
    return out
