"""Handing over: frames a second against workers, maps and sheets a megapixel, code by language, cost of exactness."""

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from whorl import demo
from whorl.bake.bake import bake
from whorl.bake.maps import MapsOptions, maps
from whorl.bake.options import BakeOptions
from whorl.bake.sheet import SheetOptions
from whorl.plan.build import build
from whorl.plan.print.code import code
from whorl.plan.print.languages import LANGUAGES

FRAMES, SIZE = 48, 512
SLUGS = ("fog-gate", "buoy-ward", "rain-planks")


def main() -> None:
    """Prints all four."""
    workers()
    pictures()
    languages()
    exactness()


def timed(work: Callable[..., object], *args: object, **more: object) -> float:
    """How long something takes, in seconds."""
    began = time.perf_counter()
    work(*args, **more)
    return time.perf_counter() - began


def workers() -> None:
    """Frames a second on one and two worker processes of a thread each, and on one thread here."""
    from distributed import LocalCluster

    effect = demo.demo("fog-gate")
    options = BakeOptions(width=SIZE, height=SIZE, last=FRAMES)
    with tempfile.TemporaryDirectory() as root:
        folder = Path(root)
        bake(effect, folder / "warm", options.model_copy(update={"last": 2}), threads=1)
        here = FRAMES / timed(bake, effect, folder / "here", options, threads=1)
        print(f"{'one thread here':<28}{here:6.1f} frames/s")
        for count in (1, 2):
            with LocalCluster(n_workers=count, threads_per_worker=1, processes=True, dashboard_address=None) as cluster:
                address = cluster.scheduler_address
                bake(effect, folder / f"w{count}", options.model_copy(update={"last": 2 * count}), cluster=address)
                rate = FRAMES / timed(bake, effect, folder / f"c{count}", options, cluster=address)
            print(f"{count} worker{'s' * (count > 1):<20} {rate:6.1f} frames/s   {rate / here:.2f} × one thread here")


def pictures() -> None:
    """Milliseconds a megapixel of maps, and of laying frames on a sheet."""
    for slug in SLUGS:
        effect = demo.demo(slug)
        options = MapsOptions(size=1024)
        made = maps(effect, options)
        took = timed(maps, effect, options)
        print(f"{slug:<16} {len(made)} maps of 1024²  {took * 1000 / len(made) / 1.048576:6.0f} ms a megapixel")
    effect = demo.demo("fog-gate")
    with tempfile.TemporaryDirectory() as root:
        plain = BakeOptions(width=128, height=128, last=FRAMES)
        bake(effect, Path(root), plain)
        took = timed(lambda: bake(effect, Path(root), plain.model_copy(update={"sheet": SheetOptions()})))
        print(
            f"{'a sheet of 48':<16} {took * 1000 / (FRAMES * 128 * 128 / 1e6):6.0f} ms a megapixel, frames being there"
        )


def languages() -> None:
    """Size of the code, and how long an independent compiler takes over it."""
    command = {
        "glsl-es": ["glslangValidator"],
        "glsl": ["glslangValidator", "-V", "-o", os.devnull],
        "hlsl": ["glslangValidator", "-D", "-V", "-e", "main", "-S", "frag", "-o", os.devnull],
    }
    for key, shell in LANGUAGES.items():
        sizes, writing, compiling = [], 0.0, 0.0
        with tempfile.TemporaryDirectory() as root:
            for slug in demo.slugs():
                plan = build(demo.demo(slug))
                began = time.perf_counter()
                text = code(plan, shell).text
                writing += time.perf_counter() - began
                sizes.append(len(text))
                if key in command:
                    path = Path(root) / f"code{shell.ending}"
                    path.write_text(text)
                    compiling += timed(subprocess.run, [*command[key], path], capture_output=True, check=True)
        n = len(sizes)
        told = f", compiled in {compiling / n * 1000:4.0f} ms" if key in command else ""
        print(f"{shell.title:<22} {sum(sizes) / n / 1000:5.1f} kB, written in {writing / n * 1000:4.0f} ms{told}")


_ONE = """
import sys, time
from pathlib import Path
import tempfile
from whorl import demo
from whorl.bake.bake import bake
from whorl.bake.options import BakeOptions
options = BakeOptions(width=512, height=512, last=24)
with tempfile.TemporaryDirectory() as root:
    bake(demo.demo(sys.argv[1]), Path(root) / "warm", options.model_copy(update={"last": 1}), threads=1)
    began = time.perf_counter()
    bake(demo.demo(sys.argv[1]), Path(root) / "one", options, threads=1)
    print(time.perf_counter() - began)
"""


def exactness() -> None:
    """How much longer a bake takes where its pixels are the same on any processor."""
    for slug in SLUGS:
        took = []
        for level in ("", "1"):
            env = {**os.environ, "WHORL_EXACT": level}
            done = subprocess.run(
                [sys.executable, "-c", _ONE, slug], env=env, capture_output=True, text=True, check=True
            )
            took.append(float(done.stdout))
        print(f"{slug:<16} exact takes {took[1] / took[0]:.2f} × as long")
