"""Documents of older versions, brought up to what is read now."""

from typing import Any


def stage(given: Any) -> Any:
    """Meshes alone used to have a size, and edges that could be hard."""
    mesh = given.get("mesh") if isinstance(given, dict) else None
    if not isinstance(mesh, dict) or not {"size", "hard"} & set(mesh):
        return given
    now = {"size": mesh.get("size", 1.0), "edges": "hard" if mesh.get("hard") else "as made"}
    return {**now, **given, "mesh": {k: v for k, v in mesh.items() if k not in ("size", "hard")}}


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
