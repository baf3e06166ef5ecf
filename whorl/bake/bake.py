"""A bake: every frame of a turn, and videos made from them; it can be stopped and taken up again."""

import hashlib
import json
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from whorl.bake.memory import keep_pages
from whorl.bake.options import STILLS, VIDEOS, BakeOptions, Still, names, slug
from whorl.bake.png import save_png
from whorl.bake.sheet import grid, lay, nth
from whorl.bake.still import save_exr
from whorl.bake.video import encode
from whorl.bake.whole import whole
from whorl.effect import Effect, write_text
from whorl.effect.levers import applied, variant_called
from whorl.plan.build import Planned, build
from whorl.refused import Refused
from whorl.stage.frame import Film, finished, lit_scene

_RECORD = "bake.json"


class Cancelled(Exception):
    """Somebody stopped the bake; what was finished stays."""


@dataclass(frozen=True)
class Progress:
    """Steps done of all: a frame is a step, and so is a frame of each video."""

    done: int
    total: int
    words: str


def bake(
    effect: Effect,
    folder: Path,
    options: BakeOptions,
    progress: Callable[[Progress], None] = lambda p: None,
    stopped: Callable[[], bool] = lambda: False,
    threads: int | None = None,
) -> list[Path]:
    """Bake into `folder`; gives the files made, frames first.

    A frame that is there already, from a bake of the same effect with the same options, is kept.
    Raises BadEffect, ValueError for a range that lies outside the turn, Cancelled.
    """
    keep_pages()
    takes = [(slug(effect.name), effect)]
    if options.variants:
        chosen = [variant_called(effect, v) for v in options.variants]
        takes = [(f"{slug(effect.name)}-{v.id}", applied(effect, v)) for v in chosen]
    turn = effect.turn.frames
    last = turn if options.last is None else options.last
    if not options.first < last <= turn:
        raise Refused(f"frames {options.first}:{last} do not lie in the turn, which has frames 0:{turn}")
    folder.mkdir(parents=True, exist_ok=True)
    _take_up(effect, folder, options, [name for name, _ in takes])
    made: list[Path] = []
    films: list[Path] = []
    before = 0

    def told(p: Progress) -> None:
        words = f"{chosen[before // p.total].name}: {p.words}" if options.variants else p.words
        progress(Progress(before + p.done, p.total * len(takes), words))

    for name, take in takes:
        stills, videos, total = _take(name, take, folder, options, last, told, stopped, threads)
        made += stills
        films += videos
        before += total
    return made + films


def _take(
    name: str,
    effect: Effect,
    folder: Path,
    options: BakeOptions,
    last: int,
    progress: Callable[[Progress], None],
    stopped: Callable[[], bool],
    threads: int | None,
) -> tuple[list[Path], list[Path], int]:
    """The turn once, as the levers stand: frames, videos, and how many steps it took."""
    plan = build(effect)
    called = names(options.pattern, name, effect.turn)
    paths = {f: folder / f"{called[f]}.png" for f in range(options.first, last)}
    # Videos are made from the frames as they are seen, sheets from these or from their light.
    needed: set[Still] = set(options.stills)
    if options.videos:
        needed.add("png")
    cells = nth(sorted(paths), options.sheet) if options.sheet else []
    if options.sheet:
        grid(len(cells), options.width, options.height, options.sheet)
        needed.add(options.sheet.kind)
    total = len(paths) * (1 + len(options.videos)) + len(cells)
    done = 0

    def step(words: str = "") -> None:
        nonlocal done
        if stopped():
            raise Cancelled
        done += 1
        progress(Progress(done, total, words or _so_far(done, len(paths), options)))

    missing = [f for f, path in paths.items() if not all(path.with_suffix(f".{s}").exists() for s in needed)]
    for f in paths:
        if f not in missing:
            step()
    if missing:
        progress(Progress(done, total, "getting ready; a first bake compiles"))
    _frames(plan, paths, missing, options, needed, step, stopped, threads or os.cpu_count() or 1)
    made = [path.with_suffix(f".{s}") for s in STILLS if s in options.stills for path in paths.values()]
    films = []
    for kind in options.videos:
        out = folder / f"{name}.{kind}"
        with whole(out) as part:
            ordered = [paths[f] for f in sorted(paths)]
            encode(kind, ordered, effect.turn, options.transparent, part, step)
        films.append(out)
    if options.sheet:
        words = f"a sheet of {len(cells)} frames"
        out = folder / f"{name}-sheet.{options.sheet.kind}"
        films += lay(effect, paths, options.sheet, out, lambda: step(words))
    for still in needed - set(options.stills):
        for path in paths.values():
            path.with_suffix(f".{still}").unlink(missing_ok=True)
    return made, films, total


def _so_far(done: int, frames: int, options: BakeOptions) -> str:
    """How far a bake is: "53 of 96 frames, then 96 of WebM"."""
    films = [VIDEOS[kind].title for kind in options.videos]
    at, within = divmod(max(done - 1, 0), frames)
    here = "frames" if at == 0 else f"of {films[at - 1]}"
    later = [f"{frames} of {film}" for film in films[at:]]
    return ", then ".join([f"{within + 1} of {frames} {here}", *later])


def _frames(
    plan: Planned,
    paths: dict[int, Path],
    missing: list[int],
    options: BakeOptions,
    needed: set[Still],
    step: Callable[[], None],
    stopped: Callable[[], bool],
    threads: int,
) -> None:
    turn = plan.effect.turn
    film = Film(plan)

    def one(f: int) -> int:
        if stopped():
            raise Cancelled
        scene = lit_scene(plan, turn.phase(f), options.width, options.height, None, options.transparent, 1, film)
        if "exr" in needed:
            save_exr(np.moveaxis(scene, 0, -1), paths[f].with_suffix(".exr"))
        if "png" in needed:
            save_png(finished(plan, scene), paths[f], options.transparent, 16 if options.depth == "16 bits" else 8)
        return f

    # The first alone, so that its kernels are compiled once.
    for f in missing[:1]:
        one(f)
        step()
    with ThreadPoolExecutor(threads) as pool:
        waiting = [pool.submit(one, f) for f in missing[1:]]
        try:
            for future in as_completed(waiting):
                future.result()
                step()
        except BaseException:
            for future in waiting:
                future.cancel()
            raise


def _take_up(effect: Effect, folder: Path, options: BakeOptions, takes: list[str]) -> None:
    """Clear what another effect or other options left, by the record kept beside the frames."""
    chosen = options.model_dump(mode="json", exclude={"videos", "stills", "first", "last", "variants", "sheet"})
    text = write_text(effect) + json.dumps(chosen, sort_keys=True)
    digest = hashlib.sha256(text.encode()).hexdigest()
    record = folder / _RECORD
    try:
        known = json.loads(record.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        known = {}
    if known.get("digest") == digest:
        return
    for name in (n for take in takes for n in names(options.pattern, take, effect.turn)):
        # Only names this bake would write; nothing else in the folder is touched.
        for still in STILLS:
            (folder / f"{name}.{still}").unlink(missing_ok=True)
    with whole(record) as part:
        part.write_text(json.dumps({"digest": digest, "effect": effect.name, "options": chosen}, indent=2) + "\n")
