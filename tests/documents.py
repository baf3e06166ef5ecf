"""Small documents for tests; every name is of the made-up production The Lantern Ferry."""

from typing import Any

from whorl.effect import Effect, read


def bead(kind: str, id: str | None = None, settings: dict[str, Any] | None = None, **params: Any) -> dict[str, Any]:
    """A bead as data."""
    return {"id": id or kind, "kind": kind, "settings": settings or {}, "params": params}


def strand(id: str, *beads: dict[str, Any]) -> dict[str, Any]:
    """A strand as data."""
    return {"id": id, "name": id.title(), "beads": list(beads)}


def data(*strands: dict[str, Any], **more: Any) -> dict[str, Any]:
    """A document as data."""
    return {"format": "whorl-effect", "version": 1, "name": "Harbour Glow", "strands": list(strands), **more}


def effect(*strands: dict[str, Any], **more: Any) -> Effect:
    """A document that has been read."""
    return read(data(*strands, **more))


def mist(**noise: Any) -> dict[str, Any]:
    """A strand of noise over the surface's UV."""
    return strand("mist", bead("uv"), bead("noise", settings={"octaves": 2}, **noise))
