"""One frame of a bake, drawn and written."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.bake.dither import dithered
from whorl.bake.options import BakeOptions, Still
from whorl.bake.png import save_png
from whorl.bake.still import save_layers
from whorl.effect.read import made_by
from whorl.images import srgb
from whorl.plan.build import Planned
from whorl.stage.filters import Picture
from whorl.stage.frame import Film, finished, lit_scene
from whorl.stage.layers import FAR, LAYERS, layers


def scene_of(plan: Planned, frame: int, options: BakeOptions, film: Film | None = None) -> Picture:
    """The light of a frame before bloom and tone mapping: (4, height, width), linear and premultiplied.

    It is the mean over the time that the shutter is open, of pictures so many times as fine.
    """
    wide, high = options.width * options.finer, options.height * options.finer
    phases = opened(plan, frame, options)
    total: Picture | None = None
    for phase in phases:
        made = lit_scene(plan, phase, wide, high, None, options.transparent, 1, film)
        total = made if total is None else total + made
    assert total is not None
    return coarser(total / np.float32(len(phases)) if len(phases) > 1 else total, options.finer)


def opened(plan: Planned, frame: int, options: BakeOptions) -> list[float]:
    """The phases at which a frame is drawn: evenly over the time that the shutter is open, from its own on."""
    turn = plan.effect.turn
    if options.shutter == 0.0 or options.exposures == 1:
        return [turn.phase(frame)]
    over = options.shutter / turn.steps
    phases = [turn.phase(frame) + over * (i + 0.5) / options.exposures for i in range(options.exposures)]
    return [p % 1.0 if turn.looping else min(p, 1.0) for p in phases]


def coarser(picture: Picture, by: int) -> Picture:
    """The means of squares of so many pixels a side."""
    if by == 1:
        return picture
    n, height, width = picture.shape
    return np.asarray(picture.reshape(n, height // by, by, width // by, by).mean(axis=(2, 4)), np.float32)


def layers_of(plan: Planned, frame: int, options: BakeOptions) -> dict[str, NDArray[np.float32]]:
    """The layers of a frame: (components, height, width), at the moment that its shutter opens."""
    by = options.finer
    made = layers(plan, options.layers, plan.effect.turn.phase(frame), options.width * by, options.height * by)
    out = {}
    for name, values in made.items():
        out[name] = coarser(values, by)
        if by > 1 and name == "depth":
            # A mean with what is infinitely far would be far.
            _, height, width = values.shape
            least = values.reshape(1, height // by, by, width // by, by).min(axis=(2, 4))
            out[name] = np.minimum(least, np.float32(FAR))
        elif name == "motion":
            out[name] = out[name] / np.float32(by)
    return out


def save_frame(
    plan: Planned, frame: int, options: BakeOptions, kinds: set[Still], path: Path, film: Film | None = None
) -> None:
    """Draws a frame and writes it at `path` with the ending of each kind."""
    scene = scene_of(plan, frame, options, film)
    seen = None
    if "png" in kinds or ("exr" in kinds and options.light == "after"):
        seen = finished(plan, scene, plan.effect.turn.phase(frame))
    if "exr" in kinds:
        light = scene
        if options.light == "after":
            assert seen is not None
            colour = srgb.decoded(np.clip(seen[:3], 0.0, 1.0))
            light = np.concatenate([colour * seen[3:], seen[3:]]).astype(np.float32)
        if options.alpha == "straight":
            cover = np.where(light[3:] > 1e-6, light[3:], 1.0)
            light = np.concatenate([light[:3] / cover, light[3:]]).astype(np.float32)
        save_layers(
            light,
            named_layers(layers_of(plan, frame, options)) if options.layers else {},
            path.with_suffix(".exr"),
            options.floats == "16 bits",
            about(plan, frame, options),
        )
    if "png" in kinds:
        assert seen is not None
        deep = options.depth == "16 bits"
        if (options.dither or plan.effect.stage.dither) and not deep:
            seen = dithered(seen, frame)
        save_png(seen, path.with_suffix(".png"), options.transparent, 16 if deep else 8, made_by(plan.effect))


def named_layers(made: dict[str, NDArray[np.float32]]) -> dict[str, NDArray[np.float32]]:
    """Each component by the name that it has in a file."""
    out = {}
    for name, values in made.items():
        letters = LAYERS[name][0] if name in LAYERS else "RGB"[: len(values)] if len(values) == 3 else "Y"
        for letter, plane in zip(letters, values, strict=True):
            out[f"{name.replace('/', '.').replace(' ', '-')}.{letter}"] = plane
    return out


def about(plan: Planned, frame: int, options: BakeOptions) -> dict[str, Any]:
    """What a file says of itself."""
    light = "before bloom and tone mapping" if options.light == "before" else "as it is seen"
    return {
        **made_by(plan.effect),
        "frame": frame,
        "phase": float(plan.effect.turn.phase(frame)),
        "light": light,
        "alpha": options.alpha,
    }
