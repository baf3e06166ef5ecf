"""One HTML file that plays an effect with its levers: no network, no other file."""

import base64
import html
import json
import re
import struct
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from string import Template
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl import page
from whorl.bake.options import slug
from whorl.bake.whole import whole
from whorl.effect import Effect
from whorl.effect.camera import way_of
from whorl.effect.described import param
from whorl.effect.document import HOLDS, MOST_HITS, Lever, Variant
from whorl.effect.levers import held, standing
from whorl.effect.read import state_of
from whorl.effect.stage import Camera
from whorl.fields import levers
from whorl.images import library
from whorl.images.library import NotKept
from whorl.images.sheet import Sheet, laid_out
from whorl.plan.build import Planned, build
from whorl.plan.build.hits import AGES, ALWAYS, PLACES
from whorl.plan.graph import Picture, Uniform
from whorl.plan.print.compiled import compiled, measured
from whorl.plan.print.levered import WAYS, page_script
from whorl.refused import Refused
from whorl.shade.script import BARE
from whorl.shapes.mesh import MORE, Mesh
from whorl.stage import filters
from whorl.stage.lamp import reach

#: What of a program the player takes.
_PROGRAM = ("vertex", "fragment", "backdrop", "back", "raised", "lamp", "far", "layer")
_ATTRIBUTES: dict[str, Callable[[Mesh], Any]] = {
    "position": lambda mesh: mesh.positions,
    "normal": lambda mesh: mesh.normals,
    "uv": lambda mesh: mesh.uvs,
    "along_u": lambda mesh: mesh.gradients[0],
    "along_v": lambda mesh: mesh.gradients[1],
    "together": lambda mesh: mesh.together,
    "shared_normal": lambda mesh: mesh.shared_normals,
    **{name: lambda mesh, name=name: mesh.told[name] for name in MORE},
}


@dataclass(frozen=True)
class Made:
    """A page, what of the front it does not carry, what is coarser, its bytes without pictures, and what plays."""

    text: str
    left: list[str]
    coarser: str
    bare: int
    packed: bytes


#: What a page comes to at the most, as long as a coarser shape helps, in bytes without its pictures.
MOST_BYTES = 300_000


def page_of(effect: Effect) -> Made:
    """The page of an effect, of a coarser shape where it would be too long. Raises BadEffect, and Refused where a
    picture of it is not kept here."""
    taken = effect
    while True:
        made = _page(taken, effect)
        finer = taken.stage.subdivision
        if made.bare <= MOST_BYTES or finer == 0:
            return made
        taken = taken.model_copy(update={"stage": taken.stage.model_copy(update={"subdivision": finer - 1})})


def _page(effect: Effect, meant: Effect) -> Made:
    plan = build(effect)
    made = compiled(plan)
    left = [x.name for x in effect.levers if not x.private and not _carried(x, effect, made)]
    numbers = bytearray()
    rest = {name: u.at(0.0)[0] for name, u in plan.screen.items()}
    mesh = effect.stage.mesh_of()
    reached = reach(plan, mesh)
    data: dict[str, Any] = {
        "name": effect.name,
        "made by": "Whorl",
        "state": state_of(meant),
        "turn": {
            "seconds": effect.turn.seconds,
            "frames": made["frames"],
            "steps": made["steps"],
            "looping": made["looping"],
        },
        "sides": effect.surface.sides,
        "stage": {"camera": _camera(effect), "size": effect.stage.size, "travel": _travel(plan), "reach": reached},
        "finish": filters.numbers(effect.stage, False, rest),
        # Those in motion go by a number of the program.
        "moved": {name: u.name for name, u in plan.screen.items()},
        # What of these a lever moves no program works out.
        "made": {u.name: _made(u) for u in (*plan.screen.values(), *plan.travel.values()) if u.made},
        "program": {name: made[name] for name in _PROGRAM}
        | filters.described(filters.finish(effect.stage))
        | {"uniforms": _uniforms(plan, made)},
        "levers": [_lever(x, made) for x in effect.levers if not x.private and _carried(x, effect, made)],
        "variants": [{"name": v.name, "holds": _holds(effect, v, made)} for v in effect.variants],
        "mesh": _packed(mesh, made, numbers),
    }
    pictures, smaller = _pictures(plan, numbers)
    data["pictures"] = pictures
    data["hits"] = _hits(effect, made)
    text = json.dumps(data, separators=(",", ":")).encode()
    # Floats and halves of what follows begin at a multiple of four.
    text += b" " * (-len(text) % 4)
    packed = zlib.compress(struct.pack("<I", len(text)) + text + bytes(numbers), 9)
    cut = [a for a in effect.assets if a.hash in smaller]
    fewer = [f"frames of {a.name} are smaller than their {a.width} × {a.height}" for a in cut]
    if effect is not meant:
        fine, here = (len(e.stage.mesh_of().positions) for e in (meant, effect))
        fewer.insert(0, f"the shape has {here} vertices instead of {fine}")
    coarser = ", ".join(fewer)
    told = f" Left out, since another program would be needed: {', '.join(left)}." if left else ""
    filled = Template(page.frame()).substitute(
        name=html.escape(effect.name),
        notes=html.escape(effect.notes),
        state=state_of(meant),
        left=html.escape(told + (f" To be short, {coarser}." if coarser else "")),
        data=base64.b64encode(packed).decode(),
        player=page_script(BARE) + page.player(),
    )
    sheets = {(at, p["wide"] * p["high"]) for p in pictures for at in p["from"]}
    shown = sum(2 * 4 * texels for _, texels in sheets)
    return Made(filled, left, coarser, len(filled) - shown, packed)


def write_page(effect: Effect, out: Path) -> Made:
    """Writes the page of an effect."""
    made = page_of(effect)
    with whole(out) as part:
        part.write_text(made.text, encoding="utf-8")
    return made


def write_element(effect: Effect, folder: Path) -> list[Path]:
    """Writes the script of the element, the packed effect, and a page that shows how they are used; gives all three."""
    made, base = page_of(effect), slug(effect.name)
    folder.mkdir(parents=True, exist_ok=True)
    lever = next((x for x in effect.levers if not x.private and x.kind == "number"), None)
    turned = f' lever-{slug(lever.name)}="{standing(lever):g}"' if lever else ""
    example = (
        f'<!doctype html>\n<html lang="en">\n<meta charset="utf-8">\n<title>{html.escape(effect.name)}</title>\n'
        f'<script src="whorl-effect.js"></script>\n'
        f'<whorl-effect src="{base}.whorl-play"{turned} style="width: 32rem; height: 32rem"></whorl-effect>\n</html>\n'
    )
    paths = []
    for name, data in (
        ("whorl-effect.js", (page_script(BARE) + page.element()).encode()),
        (f"{base}.whorl-play", made.packed),
        (f"{base}-element.html", example.encode()),
    ):
        paths.append(folder / name)
        with whole(paths[-1]) as part:
            part.write_bytes(data)
    return paths


def _hits(effect: Effect, made: dict[str, Any]) -> dict[str, Any] | None:
    """The tables that what strikes while it plays is put into, and where there is room; None without beads for hits."""
    named = {u["place"]: u["name"] for u in made["uniforms"] if u["place"] in (PLACES, AGES)}
    if not named:
        return None
    known = effect.turn.seconds if effect.turn.looping else ALWAYS
    names = {"places": named.get(PLACES, ""), "ages": named.get(AGES, "")}
    return {**names, "taken": len(effect.hits), "most": MOST_HITS, "known": known}


def _camera(effect: Effect) -> dict[str, Any]:
    orbit = effect.stage.camera
    return {n: getattr(orbit, n) for n in ("yaw", "pitch", "distance", "view", "target")}


def _travel(plan: Planned) -> dict[str, Any]:
    """How the camera goes: the number that says how far, in which way, and the range that it is held within."""
    return {
        name: {"by": u.name, "way": way_of(name), "hard": param(Camera, name).hard} for name, u in plan.travel.items()
    }


def _made(u: Uniform) -> dict[str, Any]:
    """A number that a lever moves: the way that it does, of the numbers and names of numbers that are given to that. A
    speed that a lever gives has none, and stays as it is."""
    assert u.made is not None
    way = next((way for way, fixed in WAYS.items() if fixed == u.made.fixed), "")
    given = [[float(a)] if isinstance(a, int | float) else a.name for a in u.made.args]
    return {"way": way if u.made.function in _LEVERED else "", "given": given, "rest": list(u.at(0.0))}


_LEVERED = (levers.levered, levers.levered3)


def _carried(lever: Lever, effect: Effect, made: dict[str, Any]) -> bool:
    """Whether turning a lever changes numbers alone."""
    if lever.kind == "choice":
        return _ways(lever, made) is not None
    return not any(s.sounds_with == lever.id for s in effect.strands)


def _ways(lever: Lever, made: dict[str, Any]) -> list[dict[str, Any]] | None:
    """The ways of a choice, each with what it makes of which numbers; None where it sets anything else."""
    known = {u["place"]: u for u in made["uniforms"] if not u["rows"] and u["size"] <= 4}
    out = []
    for option in lever.options:
        puts = {}
        for given in option.puts:
            uniform = known.get(given.place)
            if uniform is None or isinstance(given.value, bool | str):
                return None
            numbers = list(given.value) if isinstance(given.value, tuple) else [given.value]
            puts[uniform["name"]] = [*numbers, *uniform["value"][len(numbers) :]]
        out.append({"name": option.name, "puts": puts})
    return out if any(way["puts"] for way in out) else None


def _lever(lever: Lever, made: dict[str, Any]) -> dict[str, Any]:
    names = ("id", "name", "kind", "group", "note", "unit", "least", "most", "whole")
    ways = {"ways": _ways(lever, made)} if lever.kind == "choice" else {}
    return {n: getattr(lever, n) for n in names} | {"value": standing(lever)} | ways


def _holds(effect: Effect, variant: Variant, made: dict[str, Any]) -> dict[str, Any]:
    carried = {x.id for x in effect.levers if not x.private and _carried(x, effect, made)}
    return {id: value for id, value in held(effect, variant).items() if id in carried}


_LEVER = re.compile(rf"levers/([^/]+)/(?:{'|'.join(stands for stands, _ in HOLDS.values())})")


def _uniforms(plan: Planned, made: dict[str, Any]) -> list[dict[str, Any]]:
    """Numbers and rows with as many digits as single floats tell apart."""
    found = measured(plan)
    out = []
    for u in made["uniforms"]:
        rows = found.get(u["place"]) or u["rows"]
        one: dict[str, Any] = {"name": u["name"], "value": [_short(x) for x in u["value"]]}
        if rows:
            one["rows"] = [[_short(x) for x in row] for row in rows]
        if lever := _LEVER.fullmatch(u["place"]):
            one["lever"] = lever[1]
        out.append(one)
    return out


def _short(x: float) -> float:
    return float(f"{x:.8g}")


# --- shape and pictures ------------------------------------------------------------------


def _packed(mesh: Mesh, made: dict[str, Any], numbers: bytearray) -> dict[str, Any]:
    """A mesh in 16 bits a number, column by column as differences, which pack well."""
    texts = "".join([made["vertex"], *(made[name]["vertex"] for name in ("raised", "lamp") if made[name])])
    attributes = []
    for name, values_of in _ATTRIBUTES.items():
        if not re.search(rf"\bin \w+ {name};", texts):
            continue
        values = np.asarray(values_of(mesh))
        columns = []
        for k in range(values.shape[1]):
            column = values[:, k].astype(np.float64)
            ends = _ends(column)
            steps = 4095 if name in _COARSE else 65535
            if ends == _AS_THEY_ARE:
                steps = 65535
            columns.append({"from": len(numbers), "ends": ends, "steps": steps})
            numbers += _differences(column, ends, steps)
        attributes.append({"name": name, "columns": columns})
    index = len(numbers)
    # Corner by corner, as differences from triangle to triangle.
    corners = mesh.triangles.astype(np.int64)
    before = np.concatenate([np.zeros((1, 3), np.int64), corners[:-1]])
    way = ((corners - before) & 0xFFFFFFFF).T.ravel()
    numbers += np.concatenate([(way >> (8 * k)) & 0xFF for k in range(4)]).astype(np.uint8).tobytes()
    numbers += b"\0" * (-len(numbers) % 4)
    return {
        "vertices": len(mesh.positions),
        "triangles": len(mesh.triangles),
        "low": [float(x) for x in mesh.low],
        "size": [float(x) for x in mesh.size],
        "attributes": attributes,
        "index": index,
    }


#: Whole numbers, that stand for themselves; and what a few digits are enough for.
_AS_THEY_ARE = [0.0, 65535.0]
_COARSE = ("normal", "along_u", "along_v", "shared_normal", "second_u", "second_v")


def _ends(column: NDArray[np.float64]) -> list[float]:
    """The values that 0 and 65,535 stand for; whole numbers stand for themselves."""
    if (column == np.round(column)).all() and column.min() >= 0 and column.max() <= 65535:
        return _AS_THEY_ARE
    low, high = float(column.min()), float(column.max())
    return [low, high if high > low else low + 1.0]


def _differences(column: NDArray[np.float64], ends: list[float], most: int) -> bytes:
    low, high = ends
    whole_numbers = np.round((column - low) / (high - low) * most).astype(np.int64)
    before = np.concatenate([[0], whole_numbers[:-1]])
    steps = (whole_numbers - before) & 0xFFFF
    return np.concatenate([steps & 0xFF, steps >> 8]).astype(np.uint8).tobytes()


#: What the frames of a sequence come to on a page at the most, in texels; smaller ones are taken then.
MOST_TEXELS = 1 << 21


def _pictures(plan: Planned, numbers: bytearray) -> tuple[list[dict[str, Any]], set[str]]:
    """The pictures of a plan, their sheets put among the numbers: of a sequence one for each frame; and the hashes of
    those whose frames are smaller than they were."""
    out: list[dict[str, Any]] = []
    smaller: set[str] = set()
    laid: dict[tuple[str, str], tuple[list[int], Sheet, int]] = {}
    for p in plan.pictures:
        if (p.hash, p.read) not in laid:
            laid[p.hash, p.read] = _laid(p, numbers)
        places, sheet, level = laid[p.hash, p.read]
        high, wide = sheet.image.pixels.shape[:2]
        told = {"name": p.name, "wide": wide, "high": high, "size": [float(x) for x in sheet.size], "from": places}
        out.append(told | ({"at": p.at.name, "ahead": p.ahead} if p.at else {}))
        if level:
            smaller.add(p.hash)
    return out, smaller


def _laid(p: Picture, numbers: bytearray) -> tuple[list[int], Sheet, int]:
    """Where the sheets of a picture's frames lie, the last of them, and how often they were halved."""
    places: list[int] = []
    level, sheet = 0, None
    for frame in range(p.frames):
        try:
            sheet = library.sheet(p.hash, p.read, frame)
        except NotKept:
            raise Refused("a picture of the effect is not kept here; open the bundle that carries it") from None
        while p.frames > 1 and level < sheet.size[2] and p.frames * np.prod(sheet.place(level)[2:]) > MOST_TEXELS:
            level += 1
        if level:
            sheet = laid_out([sheet.level(k) for k in range(level, sheet.size[2] + 1)])
        places.append(len(numbers))
        numbers += sheet.image.pixels.astype("<f2").tobytes()
        numbers += b"\0" * (-len(numbers) % 4)
    assert sheet, "a picture has a frame"
    return places, sheet, level
