"""Each pattern: ns a sample on one thread beside NumPy and a noise library; cost against octaves and pixels."""

from collections.abc import Callable

import numpy as np
from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType

from bench import best
from tests.documents import bead, effect, strand
from whorl.beads.catalogue import CATALOGUE
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.stage import flat

SIDE = 512
N = SIDE * SIDE


def ns(chain: list[dict[str, object]], side: int = SIDE) -> float:
    """ns a sample of the last bead of a chain alone."""
    plan = build(effect(strand("s", *chain)))
    points = flat.points(side, side)
    whole = Evaluation(plan, plan.beads[f"s/{chain[-1]['id']}"])
    before = Evaluation(plan, plan.beads[f"s/{chain[-2]['id']}"])
    whole(points, 0.0)
    return (best(lambda: whole(points, 0.0), 5) - best(lambda: before(points, 0.0), 5)) * 1e6 / side**2


def main() -> None:
    """Prints a line a pattern, then the two fits."""
    rng = np.random.default_rng(1)
    x, y = rng.uniform(0, 1, (2, N)).astype(np.float32)
    plain = {
        "cells": lambda: numpy_cells(x * 4, y * 4),
        "checker": lambda: (np.floor(x * 8) + np.floor(y * 8)) % 2,
        "radial": lambda: np.clip(1 - np.hypot(x - 0.5, y - 0.5) / 0.5, 0, 1),
        "linear": lambda: np.clip(x, 0, 1),
        "waves": lambda: 0.5 - 0.5 * np.cos(2 * np.pi * (x * 4 - np.floor(x * 4))),
        "angular": lambda: (np.arctan2(y - 0.5, x - 0.5) / (2 * np.pi) + 0.5) % 1,
        "random": lambda: numpy_random(x * 8, y * 8),
        "grid": lambda: np.maximum(np.abs((x * 8) % 1 - 0.5) > 0.46, np.abs((y * 8) % 1 - 0.5) > 0.46),
    }
    library = {
        "noise": library_noise(x * 4, y * 4, NoiseType.NoiseType_Perlin),
        "cells": library_noise(x * 4, y * 4, NoiseType.NoiseType_Cellular),
    }
    for kind, spec in CATALOGUE.items():
        if spec.group != "patterns" or spec.is_source or kind == "image":
            continue
        ours = ns([bead("uv"), bead(kind)])
        beside = ""
        for name, functions in (("plain NumPy", plain), ("FastNoiseLite", library)):
            if kind in functions:
                other = best(functions[kind], 3) * 1e6 / N
                beside += f"   {name} {other:7.2f} ns {other / max(ours, 1e-3):5.1f} ×"
        print(f"{kind:14} {ours:7.2f} ns a sample{beside}")
    octaves = np.arange(1, 8)
    times = [ns([bead("uv"), bead("noise", settings={"octaves": int(o)})]) for o in octaves]
    fit("octaves of noise", octaves, np.array(times), "ns an octave")
    sides = np.array([128, 256, 384, 512, 768])
    cost = [ns([bead("uv"), bead("noise")], int(s)) * s**2 * 1e-6 for s in sides]
    fit("pixels, noise of four octaves", sides**2 / 1e6, np.array(cost), "ms a megapixel")


def library_noise(x: np.ndarray, y: np.ndarray, kind: NoiseType) -> Callable[[], object]:
    """The same kind of noise from a compiled library: four octaves of gradients, or one of cells."""
    made = FastNoiseLite(1)
    made.frequency = 1.0
    made.noise_type = kind
    if kind == NoiseType.NoiseType_Perlin:
        made.fractal_type = FractalType.FractalType_FBm
        made.fractal_octaves = 4
    at = np.stack([x, y])
    return lambda: made.gen_from_coords(at)


def fit(name: str, x: np.ndarray, y: np.ndarray, unit: str) -> None:
    """A straight line through measurements, and how much of their spread it explains."""
    slope, start = np.polyfit(x, y, 1)
    rest = y - (slope * x + start)
    print(f"{name}: {slope:.2f} {unit}, {start:+.2f} at nought, R² {1 - rest.var() / y.var():.3f}")


def numpy_random(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """A hash of each cell, in arrays."""
    v = np.floor(x).astype(np.uint32) * np.uint32(747796405) + np.floor(y).astype(np.uint32)
    word = ((v >> ((v >> np.uint32(28)) + np.uint32(4))) ^ v) * np.uint32(277803737)
    return ((word >> np.uint32(22)) ^ word).astype(np.float32) / np.float32(2**32)


def numpy_cells(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The nearest of nine points, in arrays."""
    cx, cy = np.floor(x), np.floor(y)
    near = np.full(len(x), 64, np.float32)
    for i in (-1, 0, 1):
        for j in (-1, 0, 1):
            h = numpy_random(cx + i, cy + j)
            dx, dy = cx + i + h - x, cy + j + (h * 57) % 1 - y
            near = np.minimum(near, dx * dx + dy * dy)
    return np.sqrt(near)
