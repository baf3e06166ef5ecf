"""Maps: each channel of a surface over UV, on its shape or tiling, packed as wanted, with a JSON beside them."""

import io
import json
import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from pydantic import BaseModel, ConfigDict

from whorl.bake.options import slug
from whorl.bake.scrolls import scrolled
from whorl.bake.still import save_exr, texts
from whorl.bake.whole import whole
from whorl.beads.spec import Numbers
from whorl.effect import Effect
from whorl.effect.described import choice
from whorl.effect.described import whole as whole_number
from whorl.effect.read import made_by, state_of
from whorl.images import srgb
from whorl.plan.build import build
from whorl.plan.graph import FromNode, FromUniform, Literals
from whorl.plan.run.evaluate import evaluate
from whorl.refused import Refused
from whorl.shade.kernel import Floats
from whorl.stage import flat
from whorl.stage.unwrapped import spread_out, unwrapped

#: A map's side in pixels.
SIDE = (16, 4096)
#: A map's side with all its frames.
MOST = 8192


@dataclass(frozen=True)
class Channel:
    """A channel as a map: how many components, which encoding a PNG has, and in words what it holds."""

    size: Literal[1, 3]
    encoding: Literal["sRGB", "linear", "normal"]
    words: str
    #: What a PNG holds one of as.
    unit: float = 1.0


CHANNELS: dict[str, Channel] = {
    "base": Channel(3, "sRGB", "base colour"),
    "emission": Channel(3, "sRGB", "light of its own; a PNG is cut at 1"),
    "opacity": Channel(1, "linear", "how much it hides"),
    "roughness": Channel(1, "linear", "0 mirrors, 1 is dull"),
    "metallic": Channel(1, "linear", "1 is a metal"),
    "normal": Channel(3, "normal", "which way it faces, in tangent space"),
    "occlusion": Channel(1, "linear", "0 keeps the sky's light off"),
    "displacement": Channel(1, "linear", "height; a PNG is cut to 0..1"),
    "film": Channel(1, "linear", "thickness of the film in nm; a PNG holds thousandths", 1000.0),
}


class MapsOptions(BaseModel):
    """Which maps: their side, whether over the shape's UV or over a tile, how far edges go on, which way green is."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)

    size: int = whole_number(1024, "The side of each map.", SIDE, "pixels", soft=(256, 2048))
    over: Literal["shape", "tile"] = choice(
        "shape", "What they are laid over.", {"shape": "the UV of its shape", "tile": "a flat square, to be repeated"}
    )
    padding: int = whole_number(8, "How far edges go on beyond the shape's UV.", (0, 256), "pixels", soft=(0, 32))
    green: Literal["up", "down"] = choice(
        "up", "Which way green of a normal is.", {"up": "up: along v", "down": "down: against v"}
    )
    kind: Literal["png", "exr"] = choice(
        "png", "What they are written as.", {"png": "8 bits, heights 16", "exr": "32 bits, linear"}
    )
    frames: int = whole_number(1, "How many frames of the turn lie on each map; 1 is a still.", (1, 256), soft=(1, 64))
    packed: dict[str, list[str]] = {"orm": ["occlusion", "roughness", "metallic"]}


@dataclass(frozen=True)
class Map:
    """A channel over UV: (size, size, components), row 0 at v = 1; `fed` where strands make it, else one value."""

    name: str
    values: Floats
    fed: bool
    seam: float | None = None


class Unrolled:
    """The channels of an effect over the UV of its shape, or over a tile, at any phase. Raises BadEffect, Refused.

    `laid` are UV that its shape has instead of its own, (n, 2).
    """

    def __init__(self, effect: Effect, options: MapsOptions, laid: NDArray[np.float32] | None = None) -> None:
        self.plan, self.options = build(effect), options
        self.side = options.size + options.size % 2
        if options.over == "tile":
            self.points, self.covered = flat.points(self.side, self.side), np.ones((self.side, self.side), bool)
            return
        self.points, self.covered = unwrapped(effect.stage.mesh_of(), self.side, effect.stage.size, laid)
        if not self.covered.any():
            raise Refused("the shape has no UV to lay maps over; take a tile")

    def fed(self, name: str) -> bool:
        """Whether strands make a channel, which is otherwise the same all over."""
        return isinstance(self.plan.outputs[name], FromNode)

    def at_rest(self, name: str, phase: float) -> Numbers:
        """A channel that is the same all over."""
        given = self.plan.outputs[name]
        if isinstance(given, FromUniform):
            return given.uniform.at(phase)
        assert isinstance(given, Literals)
        return given.values

    def values(self, name: str, phase: float, threads: int = 2) -> Floats:
        """A channel: (size, size, components), row 0 at v = 1."""
        channel, side, size = CHANNELS[name], self.side, self.options.size
        given = self.plan.outputs[name]
        if not isinstance(given, FromNode):
            return np.full((size, size, channel.size), self.at_rest(name, phase), np.float32)
        made = evaluate(self.plan, given.node, self.points, phase, threads)
        values = np.stack([flat.unquad(a, side, side) for a in made], axis=-1)
        if channel.encoding == "normal":
            values = _in_tangents(values, self.points, side)
        if self.options.over == "shape":
            values = spread_out(values, self.covered, self.options.padding)
            if channel.encoding == "normal":
                values = _unit(values)
        return np.ascontiguousarray(values[:size, :size], np.float32)


def maps(
    effect: Effect,
    options: MapsOptions,
    phase: float = 0.0,
    threads: int = 2,
    tick: Callable[[str], None] = lambda words: None,
) -> list[Map]:
    """All channels that strands feed, and the constant ones that packing asks for. Raises BadEffect, Refused.

    Of more than one frame, those of the turn lie on each map, row by row from the top; `phase` is that of a single one.
    """
    wanted = {name for names in options.packed.values() for name in names}
    for name in sorted(wanted - set(CHANNELS)):
        raise Refused(f"there is no channel '{name}' to be packed; there are {', '.join(CHANNELS)}")
    for name, names in options.packed.items():
        if not 2 <= len(names) <= 4 or not re.fullmatch(r"[a-z0-9_-]{1,24}", name):
            raise Refused("a packed map has a plain name and two to four channels, as orm=occlusion,roughness,metallic")
        if any(CHANNELS[n].size != 1 for n in names):
            raise Refused(f"{name}: what is packed has one component each; colours and normals stand by themselves")
    columns, rows = laid_out(options)
    over = Unrolled(effect, options)
    phases = phases_of(effect, options.frames, phase)
    out = []
    for name in CHANNELS:
        if not over.fed(name) and name not in wanted:
            continue
        cells = []
        for n, p in enumerate(phases):
            tick(f"{name}, {n + 1} of {len(phases)}" if len(phases) > 1 else name)
            cells.append(over.values(name, p, threads))
        seam = max(map(seam_of, cells)) if options.over == "tile" and over.fed(name) else None
        out.append(Map(name, gathered(cells, columns, rows), over.fed(name), seam))
    return out


def phases_of(effect: Effect, frames: int, phase: float = 0.0) -> list[float]:
    """Phases of so many frames, evenly over the turn: its end is one of them where it plays once."""
    if frames == 1:
        return [phase]
    return [i / (frames if effect.turn.looping else frames - 1) for i in range(frames)]


def laid_out(options: MapsOptions) -> tuple[int, int]:
    """Columns and rows of the frames on each map. Raises Refused where it would be too large."""
    columns = math.ceil(math.sqrt(options.frames))
    rows = -(-options.frames // columns)
    if columns * options.size > MOST:
        words = f"{options.frames} frames of {options.size} pixels make maps of {columns * options.size}"
        raise Refused(f"{words}; up to {MOST} pixels a side are written. Take fewer, or smaller ones")
    return columns, rows


def gathered(cells: list[Floats], columns: int, rows: int) -> Floats:
    """Frames of one size on one map, row by row from the top; places without one repeat the last."""
    filled = [*cells, *[cells[-1]] * (columns * rows - len(cells))]
    return np.concatenate([np.concatenate(filled[r * columns : (r + 1) * columns], axis=1) for r in range(rows)])


def _in_tangents(values: Floats, points: dict[str, list[Floats]], size: int) -> Floats:
    """Normals along u, v and outwards: u as far as it lies in the surface, v square to it (as glTF 2.0 has it)."""

    def way(name: str) -> NDArray[np.float32]:
        return np.stack([flat.unquad(a, size, size) for a in points[name]], axis=-1)

    out, u, v = _unit(way("at_normal")), way("at_along_u"), way("at_along_v")
    tangent = _unit(u - out * (u * out).sum(-1, keepdims=True))
    across = np.cross(out, tangent)
    across *= np.where((across * v).sum(-1, keepdims=True) < 0, -1.0, 1.0)
    return _unit(np.stack([(values * w).sum(-1) for w in (tangent, across, out)], axis=-1))


def _unit(values: NDArray[Any]) -> Floats:
    length = np.linalg.norm(values, axis=-1, keepdims=True)
    return np.where(length > 1e-9, values / np.maximum(length, 1e-9), [0.0, 0.0, 1.0]).astype(np.float32)


def seam_of(values: Floats) -> float:
    """How much more a map changes over its border than beside it, in the mean: no more than 1.2 is no seam."""

    def along(axis: int) -> float:
        rows = np.moveaxis(values, axis, 0)
        over = float(np.abs(rows[0] - rows[-1]).mean())
        beside = max(float(np.abs(rows[i] - rows[i + 1]).mean()) for i in (0, 1, -3, -2))
        return over / beside if beside > 1e-7 else float(over > 1e-6) * 1e3

    return max(along(0), along(1))


# --- written -----------------------------------------------------------------------------


def write_maps(
    effect: Effect,
    folder: Path,
    options: MapsOptions,
    phase: float = 0.0,
    tick: Callable[[str], None] = lambda words: None,
) -> list[Path]:
    """Writes the maps of an effect into a folder, with a JSON that says what each holds; gives the files."""
    made = {x.name: x for x in maps(effect, options, phase, tick=tick)}
    folder.mkdir(parents=True, exist_ok=True)
    base, said = slug(effect.name), made_by(effect)
    packed = {n for names in options.packed.values() for n in names}
    files: dict[str, dict[str, Any]] = {}
    paths = []
    for name, one in made.items():
        if not one.fed or (name in packed and any(made[n].fed for n in packed)):
            continue
        path = folder / f"{base}-{name}.{options.kind}"
        tick(path.name)
        _save(one.values, CHANNELS[name], options, path, said)
        paths.append(path)
        files[path.name] = _told(one, options)
    for name, names in options.packed.items():
        if not any(made[n].fed for n in names):
            continue
        path = folder / f"{base}-{name}.{options.kind}"
        tick(path.name)
        # A film is told in thousandths, so that all of one map lie in 0..1.
        together = np.concatenate([_shown(made[n].values, CHANNELS[n], options) for n in names], axis=2)
        if options.kind == "exr":
            save_exr(_three(together), path, said=said)
        else:
            _save_png(_three(together), path, said)
        paths.append(path)
        components = dict(zip("rgba", names, strict=False))
        files[path.name] = {"components": components, "encoding": "linear"} | _seams([made[n] for n in names])
    way = scrolled(Unrolled(effect, options.model_copy(update={"size": 64}))) if options.over == "shape" else None
    told = {
        "format": "whorl-maps",
        "version": 1,
        "made by": "Whorl",
        "effect": effect.name,
        "state": state_of(effect),
        "phase": phase,
        "size": options.size,
        "sheet": _sheet(effect, options),
        # Where all moves alike the way between frames is known; elsewhere there is no such thing.
        "motion over UV in a turn": list(way) if way else None,
        "over": options.over if options.over == "tile" else f"the UV of the shape: {effect.stage.shape}",
        "approximated": "what depends on where it is looked at from is as seen straight from before each point",
        "files": files,
        "constants": {
            x.name: [float(v) for v in x.values[0, 0]] for x in made.values() if not x.fed and x.name not in packed
        },
    }
    beside = folder / f"{base}-maps.json"
    with whole(beside) as part:
        part.write_text(json.dumps(told, indent=2) + "\n", encoding="utf-8")
    return [*paths, beside]


def _sheet(effect: Effect, options: MapsOptions) -> dict[str, Any] | None:
    """Where the frames of the turn lie, in UV from the lower left; None of a still."""
    if options.frames == 1:
        return None
    columns, rows = laid_out(options)
    frames = [
        {"phase": round(p, 6), "uv": [c / columns, 1 - (r + 1) / rows, (c + 1) / columns, 1 - r / rows]}
        for p, (r, c) in zip(phases_of(effect, options.frames), np.ndindex(rows, columns), strict=False)
    ]
    turn = effect.turn
    return {"columns": columns, "rows": rows, "seconds": turn.seconds, "loops": turn.looping, "frames": frames}


def _told(one: Map, options: MapsOptions) -> dict[str, Any]:
    channel = CHANNELS[one.name]
    encoding: str = channel.encoding if options.kind == "png" else "linear"
    if channel.encoding == "normal":
        encoding = f"normal, green {options.green}" + (", 0.5 is 0" if options.kind == "png" else "")
    return {"channel": one.name, "holds": channel.words, "encoding": encoding} | _seams([one])


def _seams(several: list[Map]) -> dict[str, float]:
    known = [x.seam for x in several if x.seam is not None]
    return {"seam": round(max(known), 4)} if known else {}


def _three(values: Floats) -> Floats:
    """Two components as three, the last of them nothing."""
    return np.concatenate([values, np.zeros_like(values[..., :1])], axis=2) if values.shape[2] == 2 else values


def _shown(values: Floats, channel: Channel, options: MapsOptions) -> Floats:
    """Values as a file holds them: what a PNG has between 0 and 1, and of an EXR the values themselves."""
    if channel.encoding == "normal":
        turned = values.copy()
        if options.green == "down":
            turned[..., 1] *= -1.0
        return turned if options.kind == "exr" else turned * np.float32(0.5) + np.float32(0.5)
    if options.kind == "exr":
        return values
    if channel.encoding == "sRGB":
        return srgb.encoded(np.clip(values, 0.0, 1.0)).astype(np.float32)
    return values / np.float32(channel.unit)


def _save(values: Floats, channel: Channel, options: MapsOptions, path: Path, said: dict[str, str]) -> None:
    shown = _shown(values, channel, options)
    if options.kind == "exr":
        save_exr(shown, path, said=said)
    elif channel.size == 1:
        # A height or mask in 16 bits, so that no steps are seen in what it moves.
        with whole(path) as part:
            data = np.round(np.clip(shown[..., 0], 0.0, 1.0) * 65535).astype(np.uint16)
            Image.fromarray(data).save(part, "PNG", pnginfo=texts(said))
    else:
        _save_png(shown, path, said)


def picture_of(values: Floats, channel: Channel, options: MapsOptions) -> bytes:
    """A map as a PNG of eight bits."""
    shown = _shown(values, channel, options)
    pixels = np.round(np.clip(np.broadcast_to(shown, (*shown.shape[:2], 3)), 0.0, 1.0) * 255).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", compress_level=3)
    return out.getvalue()


def _save_png(shown: Floats, path: Path, said: dict[str, str]) -> None:
    pixels = np.round(np.clip(shown, 0.0, 1.0) * 255).astype(np.uint8)
    with whole(path) as part:
        Image.fromarray(pixels).save(part, "PNG", compress_level=3, pnginfo=texts(said))
