"""A flipbook sheet: the frames of a turn in a grid on one picture, and a JSON beside it that says where each is."""

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from whorl.bake.still import REC_709, save_exr, texts
from whorl.bake.whole import whole
from whorl.effect import Effect
from whorl.effect.described import choice, switch
from whorl.effect.described import whole as whole_number
from whorl.effect.read import made_by, state_of
from whorl.images import srgb
from whorl.refused import Refused

#: A sheet's longer side, in pixels, by its kind; frames on it; pixels of edge round each frame.
MOST_SIDE, MOST_FRAMES, MOST_PADDING = {"png": 8192, "exr": 4096}, 4096, 64


class SheetOptions(BaseModel):
    """How frames are laid out: so many columns (0: as many as make the smallest square power of two), with `padding`
    pixels of each frame's own edge round it, every nth frame, alpha premultiplied in linear light or straight."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)

    kind: Literal["png", "exr"] = choice(
        "png", "What it is written as.", {"png": "as it is seen: 8 bits, sRGB", "exr": "its light: 32 bits, linear"}
    )
    columns: int = whole_number(
        0, "Frames beside one another; 0 makes a square power of two.", (0, MOST_FRAMES), soft=(0, 16)
    )
    padding: int = whole_number(2, "Its own edge goes on round each frame.", (0, MOST_PADDING), "pixels", soft=(0, 8))
    every: int = whole_number(1, "Every so many frames one is taken.", (1, MOST_FRAMES), soft=(1, 8))
    premultiplied: bool = switch(False, "Colour is multiplied by alpha, in linear light.")


class Grid(BaseModel):
    """A sheet's measures in pixels: of all of it, of a frame, of its edge; and how many stand beside and below."""

    width: int
    height: int
    cell_width: int
    cell_height: int
    padding: int
    columns: int
    rows: int

    def at(self, n: int) -> tuple[int, int]:
        """The upper left pixel of the nth frame, row by row from the top."""
        row, column = divmod(n, self.columns)
        w, h = self.cell_width + 2 * self.padding, self.cell_height + 2 * self.padding
        return column * w + self.padding, row * h + self.padding


def grid(count: int, width: int, height: int, options: SheetOptions) -> Grid:
    """Where so many frames of a size go. Raises Refused where that is more than a sheet holds.

    >>> grid(64, 128, 128, SheetOptions(padding=0)).width
    1024
    """
    w, h = width + 2 * options.padding, height + 2 * options.padding
    if not 0 < count <= MOST_FRAMES:
        raise Refused(f"a sheet holds 1 to {MOST_FRAMES} frames, not {count}")
    if options.columns:
        columns = min(options.columns, count)
        rows = -(-count // columns)
        sides = columns * w, rows * h
    else:
        side = 1
        while (side // w) * (side // h) < count:
            side *= 2
        columns, sides = side // w, (side, side)
        rows = -(-count // columns)
    most = MOST_SIDE[options.kind]
    if max(sides) > most:
        words = f"{count} frames of {width} × {height} make a sheet of {sides[0]} × {sides[1]}"
        raise Refused(f"{words}; up to {most} pixels a side are written. Take every second, or smaller ones")
    return Grid(
        width=sides[0],
        height=sides[1],
        cell_width=width,
        cell_height=height,
        padding=options.padding,
        columns=columns,
        rows=rows,
    )


def nth(frames: Sequence[int], options: SheetOptions) -> list[int]:
    """Every nth of some frames."""
    return list(frames)[:: options.every]


def lay(
    effect: Effect,
    paths: dict[int, Path],
    options: SheetOptions,
    out: Path,
    tick: Callable[[], None] = lambda: None,
) -> list[Path]:
    """Lays frames that are there, by their numbers, on a sheet at `out`, with its JSON beside it; gives both.

    PNG frames are sRGB with straight alpha; of EXR frames their light, which is premultiplied. Raises Refused.
    """
    numbers = nth(sorted(paths), options)
    first = _read(paths[numbers[0]], options)
    place = grid(len(numbers), first.shape[1], first.shape[0], options)
    sheet = np.zeros((place.height, place.width, 4), first.dtype)
    for n, f in enumerate(numbers):
        tick()
        made = first if n == 0 else _read(paths[f], options)
        p = options.padding
        x, y = place.at(n)
        edged = np.pad(made, ((p, p), (p, p), (0, 0)), mode="edge")
        sheet[y - p : y - p + edged.shape[0], x - p : x - p + edged.shape[1]] = edged
    if options.kind == "exr":
        save_exr(sheet, out, said={"chromaticities": REC_709, **made_by(effect)})
    else:
        from PIL import Image

        with whole(out) as part:
            Image.fromarray(sheet, "RGBA").save(part, "PNG", compress_level=3, pnginfo=texts(made_by(effect)))
    moved = motion_of(effect, place.cell_width, place.cell_height)
    vectors = None
    if moved is not None:
        vectors = out.with_name(f"{out.stem}-motion.exr")
        save_exr(moved, vectors, said=made_by(effect))
    beside = out.with_suffix(".json")
    told = described(effect, numbers, place, options, out.name, vectors.name if vectors else None)
    with whole(beside) as part:
        part.write_text(json.dumps(told, indent=2) + "\n")
    return [out, *([vectors] if vectors else []), beside]


def motion_of(effect: Effect, width: int, height: int) -> NDArray[np.float32] | None:
    """How far what is seen at each pixel goes until the next frame of the turn, in pixels to the right and upwards:
    (height, width, 3), the last 0; alike in all frames. None where its motion is not one scroll over UV."""
    # Whoever draws one frame loads no more than that needs.
    from whorl.bake.maps import MapsOptions, Unrolled
    from whorl.bake.scrolls import scrolled
    from whorl.plan.build import build
    from whorl.stage.layers import FAR, layers

    plan = build(effect)
    try:
        way = None if plan.raised else scrolled(Unrolled(effect, MapsOptions(size=64)))
    except Refused:
        return None
    if way is None:
        return None
    made = layers(plan, ["uv", "depth"], 0.0, width, height)
    # How UV change a pixel to the right and upwards; rows run down.
    right = np.gradient(made["uv"], axis=2).astype(np.float64)
    up = -np.gradient(made["uv"], axis=1).astype(np.float64)
    det = right[0] * up[1] - right[1] * up[0]
    # What is looked up goes one way, and what is seen the other.
    du, dv = (-x / effect.turn.steps for x in way)
    out = np.zeros((height, width, 3), np.float32)
    # At outlines and seams UV jump: there is no way to tell.
    sure = (made["depth"][0] < FAR) & (np.abs(det) > 1e-12) & (np.abs(right).max(0) < 0.2) & (np.abs(up).max(0) < 0.2)
    safe = np.where(sure, det, 1.0)
    out[..., 0] = np.where(sure, (du * up[1] - dv * up[0]) / safe, 0.0)
    out[..., 1] = np.where(sure, (dv * right[0] - du * right[1]) / safe, 0.0)
    return out


def _read(path: Path, options: SheetOptions) -> NDArray[Any]:
    """A frame as it goes on the sheet: (height, width, 4), bytes of a PNG and floats of an EXR."""
    if options.kind == "exr":
        import OpenEXR

        # The channels of the light of a frame, as `save_exr` writes them.
        return np.asarray(OpenEXR.File(str(path.with_suffix(".exr"))).channels()["RGBA"].pixels, np.float32)
    # Options are read by whoever draws one frame, and loads no more than that needs.
    from PIL import Image

    with Image.open(path.with_suffix(".png")) as image:
        made = np.array(image.convert("RGBA"))
    if options.premultiplied:
        alpha = made[..., 3:].astype(np.float32) / 255
        light = srgb.decoded(made[..., :3].astype(np.float32) / 255) * alpha
        made[..., :3] = np.round(srgb.encoded(light) * 255)
    return made


def described(
    effect: Effect, numbers: Sequence[int], place: Grid, options: SheetOptions, name: str, vectors: str | None = None
) -> dict[str, Any]:
    """What the JSON beside a sheet says; UV run from the lower left, pixels from the upper left."""
    turn, w, h = effect.turn, place.cell_width, place.cell_height
    frames = []
    for n, f in enumerate(numbers):
        x, y = place.at(n)
        frames.append(
            {
                "frame": f,
                "phase": round(turn.phase(f), 6),
                "seconds": round(f / turn.fps, 6),
                "x": x,
                "y": y,
                "width": w,
                "height": h,
                "uv": [x / place.width, 1 - (y + h) / place.height, (x + w) / place.width, 1 - y / place.height],
            }
        )
    light = options.kind == "exr"
    return {
        "format": "whorl-sheet",
        "version": 1,
        "made by": "Whorl",
        "effect": effect.name,
        "state": state_of(effect),
        "image": name,
        "width": place.width,
        "height": place.height,
        "columns": place.columns,
        "rows": place.rows,
        "padding": place.padding,
        "pivot": [0.5, 0.5],
        "colour": "linear, Rec. 709 primaries, before bloom and tone mapping" if light else "sRGB",
        "alpha": "premultiplied" if light or options.premultiplied else "straight",
        "motion vectors": {
            "image": vectors,
            "holds": "pixels to the next frame of the turn, red to the right, green upwards; alike in all frames",
        }
        if vectors
        else None,
        "turn": {
            "seconds": turn.seconds,
            "frames": turn.frames,
            "fps": turn.fps / (numbers[1] - numbers[0] if len(numbers) > 1 else options.every),
            "loops": turn.looping,
        },
        "frames": frames,
    }
