"""Whole frames on the CPU against headless Chromium, and the rasteriser alone against pixels and triangles."""

import time

import numpy as np

from bench import best
from bench.bake import SIZE, browser, served
from tests.browser.chromium import has_mesa
from whorl import demo
from whorl.effect.camera import eye, view_projection
from whorl.effect.stage import Camera
from whorl.plan.build import build
from whorl.shapes import shape
from whorl.stage.frame import Film, picture
from whorl.stage.raster import BAND, Seen, _covered


def main() -> None:
    """Prints ms a frame of both for each demo effect, then the rasteriser."""
    rasteriser()
    name = "llvmpipe" if has_mesa() else "SwiftShader"
    with served() as (port, _):
        for slug in demo.slugs():
            plan = build(demo.demo(slug))
            film, frames = Film(plan), plan.effect.turn.frames
            times = []
            # Kernels are compiled in the first.
            for f in range(8):
                start = time.perf_counter()
                picture(plan, f / frames, SIZE, SIZE, threads=2, film=film)
                times.append((time.perf_counter() - start) * 1e3)
            cpu, gpu = float(np.median(times[2:])), float(np.median(browser(slug, port, 10)))
            ratio = gpu / cpu
            print(f"{slug:15} CPU {cpu:7.1f} ms   Chromium ({name}) {gpu:7.1f} ms   {ratio:5.2f} × (wanted: 0.5)")


def rasteriser() -> None:
    """Million pixels a second of coverage and of surface points, and how the time grows."""
    camera = Camera(yaw=20, pitch=15, distance=3)

    def seen(mesh_of: tuple[str, int], size: int) -> float:
        mesh = shape(*mesh_of)
        matrix, at = view_projection(camera, size, size), eye(camera)
        return best(lambda: Seen.through(mesh, matrix, at).fragments(size, size, True), 5)

    def covered(size: int) -> float:
        ball = Seen.through(shape("ball"), view_projection(camera, size, size), eye(camera))
        given = ball.edges, ball.area, ball.bounds
        sizes = size * 2, size * 2, True, 0.25
        return best(lambda: [_covered(*given, *sizes, top, top + 2 * BAND) for top in range(0, size * 2, 2 * BAND)], 5)

    for size in (256, 512, 1024):
        alone, whole = covered(size), seen(("ball", 0), size)
        covered_rate, whole_rate = size * size / alone / 1e3, size * size / whole / 1e3
        made = f"{covered_rate:5.1f} million px/s covered at four samples (wanted: 20)"
        print(f"{size:5} px: {made}, {whole_rate:5.1f} with surface points")
    _fit("pixels", [256**2, 512**2, 1024**2], [seen(("ball", 0), s) for s in (256, 512, 1024)])
    counts = [len(shape("ball", k).triangles) for k in range(4)]
    _fit("triangles", counts, [seen(("ball", k), 256) for k in range(4)])


def _fit(what: str, counts: list[int], times: list[float]) -> None:
    """The straight line through times, and how much of them it explains."""
    slope, start = np.polyfit(counts, times, 1)
    made = slope * np.array(counts) + start
    rest = 1 - ((np.array(times) - made) ** 2).sum() / ((np.array(times) - np.mean(times)) ** 2).sum()
    shown = ", ".join(f"{c} {t:.1f} ms" for c, t in zip(counts, times, strict=True))
    print(f"against {what}: {shown}; {start:.2f} ms + {slope * 1e6:.2f} ns each (R² {rest:.3f})")
