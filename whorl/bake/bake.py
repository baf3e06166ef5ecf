"""A bake: every frame of a turn, and videos made from them; it can be stopped and taken up again."""

import hashlib
import json
import os
import shutil
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from whorl.bake.frame import save_frame
from whorl.bake.memory import keep_pages
from whorl.bake.options import STILLS, VIDEOS, BakeOptions, Still, named, names, slug
from whorl.bake.sheet import grid, lay, nth
from whorl.bake.video import encode
from whorl.bake.whole import whole
from whorl.effect import BadEffect, Effect, write_text
from whorl.effect.document import Variant
from whorl.effect.levers import applied, variant_called
from whorl.effect.problems import Problem
from whorl.effect.read import made_by
from whorl.plan.build import Planned, build
from whorl.refused import Refused
from whorl.stage.frame import Film
from whorl.stage.layers import wanted

if TYPE_CHECKING:
    from whorl.bake.handed import Handed

_RECORD = "bake.json"
#: Options that choose among frames, or what is made of them, and change none.
CHOOSING = {
    *("first", "last", "every", "loops", "variants"),
    *("stills", "videos", "quality", "sheet", "forms", "map_size", "map_frames"),
}


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
    cluster: str | None = None,
) -> list[Path]:
    """Bake into `folder`; gives the files made, frames first.

    A frame that is there already, from a bake of the same effect with the same options, is kept. Frames are drawn
    here, or by the workers of a `cluster` at the address of its scheduler.
    Raises BadEffect, ValueError for a range that lies outside the turn, Cancelled.
    """
    keep_pages()
    takes = ready(effect, options)
    forms = forms_of(options)
    folder.mkdir(parents=True, exist_ok=True)
    _take_up(effect, folder, options, [take.name for take in takes])
    # Maps and shapes have no size in pixels of a frame.
    shapes = {(take.effect.stage.shape, take.variant): take for take in takes}.values()
    also = len(forms) * len(shapes)
    made: list[Path] = []
    films: list[Path] = []
    before = 0

    def told(p: Progress) -> None:
        words = f"{takes[before // p.total].words}: {p.words}" if len(takes) > 1 else p.words
        progress(Progress(before + p.done, p.total * len(takes) + also, words))

    for take in takes:
        own = options.model_copy(update={"width": take.width, "height": take.height})
        stills, videos, total = _take(take.name, take.effect, folder, own, told, stopped, threads, cluster)
        made += stills
        films += videos
        before += total
    others: list[Path] = []
    done = 0

    def making(words: str) -> None:
        if stopped():
            raise Cancelled
        progress(Progress(before + done, before + also, words))

    for take in shapes:
        for form in forms:
            called = f"{take.words}, {form.title}" if len(takes) > 1 else form.title
            others += _form(form, take, folder, options, partial(_under, called, making))
            done += 1
    return made + films + others


def forms_of(options: BakeOptions) -> list["Handed"]:
    """The forms that are made beside pictures. Raises Refused."""
    if not options.forms:
        return []
    # Most bakes make none, and need not load what makes them.
    from whorl.bake.handed import HANDED

    made = {key: h for key, h in HANDED.items() if h.write}
    for name in options.forms:
        if name not in made:
            raise Refused(f"there is no form '{name}' to be made; there are {', '.join(made)}")
    return [made[name] for name in dict.fromkeys(options.forms)]


def _under(title: str, tick: Callable[[str], None], words: str) -> None:
    """Tells something of one thing among others."""
    tick(f"{title}: {words}")


def _form(form: "Handed", take: "Take", folder: Path, options: BakeOptions, tick: Callable[[str], None]) -> list[Path]:
    """Makes one form of a take, in a folder of its own."""
    from whorl.bake.handed import wanted_of

    assert form.write is not None
    tick("making it")
    into = folder / f"{take.shape_name}-{form.key}"
    into.mkdir(exist_ok=True)
    return form.write(take.effect, into, wanted_of(options, tick))


def ready(effect: Effect, options: BakeOptions) -> list["Take"]:
    """All that a bake makes, once nothing stands in its way that can be told beforehand. Raises BadEffect, Refused."""
    takes = listed(effect, options)
    chosen = stretch(effect, options)
    first = {named(options.pattern, take.name, options.first, effect.turn).casefold() for take in takes}
    if len(first) < len(takes):
        raise Refused("the name pattern gives frames of two takes the same name; put {name} in it")
    names(options.pattern, takes[0].name, effect.turn, options.loops)
    forms_of(options)
    if options.sheet:
        for take in takes:
            grid(len(nth(chosen, options.sheet)), take.width, take.height, options.sheet)
    wanted(build(effect), options.layers)
    return takes


def stretch(effect: Effect, options: BakeOptions) -> range:
    """The frames of the turn that are drawn. Raises BadEffect."""
    turn = effect.turn.frames
    last = turn if options.last is None else options.last
    if not options.first < last <= turn:
        words = f"frames {options.first}:{last} do not lie in the turn; frames lie from 0 to {turn}"
        raise BadEffect([Problem(place="options/last", words=words)])
    return range(options.first, last, options.every)


@dataclass(frozen=True)
class Take:
    """One of the turns that a bake makes: a variant on a shape at a size."""

    name: str
    words: str
    effect: Effect
    width: int
    height: int
    variant: str = ""
    #: Its name without a size.
    shape_name: str = ""


def listed(effect: Effect, options: BakeOptions) -> list[Take]:
    """All that a bake makes: each variant, on each shape, at each size. Raises Refused."""
    out = []
    variants: list[Variant | None] = [variant_called(effect, v) for v in options.variants] or [None]
    shapes = options.shapes or [effect.stage.shape]
    sizes = [(options.width, options.height), *((s.width, s.height) for s in options.sizes)]
    for variant in variants:
        turned = applied(effect, variant) if variant else effect
        for shape in shapes:
            stage = turned.stage if shape == turned.stage.shape else turned.stage.model_copy(update={"shape": shape})
            here = turned.model_copy(update={"stage": stage})
            name, words = [slug(effect.name)], list[str]()
            if variant:
                name, words = [*name, variant.id], [*words, variant.name]
            if options.shapes:
                name, words = [*name, shape], [*words, shape]
            for width, height in dict.fromkeys(sizes):
                sized, told = ([f"{width}x{height}"], [f"{width} × {height}"]) if options.sizes else ([], [])
                plain = "-".join(name)
                given = variant.id if variant else ""
                called = "-".join([*name, *sized])
                out.append(Take(called, ", ".join([*words, *told]), here, width, height, given, plain))
    return out


def _take(
    name: str,
    effect: Effect,
    folder: Path,
    options: BakeOptions,
    progress: Callable[[Progress], None],
    stopped: Callable[[], bool],
    threads: int | None,
    cluster: str | None,
) -> tuple[list[Path], list[Path], int]:
    """The turn once, as the levers stand: frames, videos, and how many steps it took."""
    plan = build(effect)
    called = names(options.pattern, name, effect.turn, options.loops)
    chosen = stretch(effect, options)
    paths = {f: folder / f"{called[f]}.png" for f in chosen}
    # The turn once more is the same frames under other names.
    again = [
        (paths[f], folder / f"{called[f + loop * effect.turn.frames]}.png")
        for loop in range(1, options.loops)
        for f in chosen
    ]
    everything = [*paths.values(), *(path for _, path in again)]
    # Videos are made from the frames as they are seen, sheets from these or from their light.
    needed: set[Still] = set(options.stills)
    if options.videos:
        needed.add("png")
    cells = nth(sorted(paths), options.sheet) if options.sheet else []
    if options.sheet:
        grid(len(cells), options.width, options.height, options.sheet)
        needed.add(options.sheet.kind)
    total = len(paths) + len(everything) * len(options.videos) + len(cells)
    done = 0

    def step(words: str = "") -> None:
        nonlocal done
        if stopped():
            raise Cancelled
        done += 1
        progress(Progress(done, total, words or _so_far(done, len(paths), len(everything), options)))

    missing = [f for f, path in paths.items() if not all(path.with_suffix(f".{s}").exists() for s in needed)]
    for f in paths:
        if f not in missing:
            step()
    if missing:
        progress(Progress(done, total, "getting ready; a first bake compiles"))
    drawing = Drawing(plan, paths, missing, options, needed, step, stopped)
    if cluster:
        from whorl.bake.cluster import drawn_there

        drawn_there(cluster, drawing)
    else:
        drawn_here(drawing, threads or os.cpu_count() or 1)
    for drawn, path in again:
        for still in needed:
            _same(drawn.with_suffix(f".{still}"), path.with_suffix(f".{still}"))
    made = [path.with_suffix(f".{s}") for s in STILLS if s in options.stills for path in everything]
    films = []
    for kind in options.videos:
        out = folder / f"{name}.{kind}"
        with whole(out) as part:
            way = (options.every, options.quality, made_by(effect))
            encode(kind, everything, effect.turn, options.transparent, part, step, *way)
        films.append(out)
    if options.sheet:
        words = f"a sheet of {len(cells)} frames"
        out = folder / f"{name}-sheet.{options.sheet.kind}"
        films += lay(effect, paths, options.sheet, out, lambda: step(words))
    for still in needed - set(options.stills):
        for path in everything:
            path.with_suffix(f".{still}").unlink(missing_ok=True)
    return made, films, total


def _same(drawn: Path, path: Path) -> None:
    """A frame once more under another name, without its bytes where the disk can do that."""
    if path.exists():
        return
    try:
        os.link(drawn, path)
    except OSError:
        with whole(path) as part:
            shutil.copyfile(drawn, part)


def _so_far(done: int, frames: int, filmed: int, options: BakeOptions) -> str:
    """How far a bake is: "53 of 96 frames, then 96 of WebM"."""
    films = [VIDEOS[kind].title for kind in options.videos]
    if done <= frames:
        at, within, of, here = 0, done, frames, "frames"
    else:
        at, within = divmod(done - frames - 1, filmed)
        at, within, of, here = at + 1, within + 1, filmed, f"of {films[at]}"
    later = [f"{filmed} of {film}" for film in films[at:]]
    return ", then ".join([f"{within} of {of} {here}", *later])


@dataclass(frozen=True)
class Drawing:
    """Frames that are to be drawn: where to, what of each, and how to say that one is done."""

    plan: Planned
    paths: dict[int, Path]
    missing: list[int]
    options: BakeOptions
    kinds: set[Still]
    step: Callable[[], None]
    stopped: Callable[[], bool]


def drawn_here(drawing: Drawing, threads: int) -> None:
    """Draws frames on threads of this machine."""
    film = Film(drawing.plan)

    def one(f: int) -> int:
        if drawing.stopped():
            raise Cancelled
        save_frame(drawing.plan, f, drawing.options, drawing.kinds, drawing.paths[f], film)
        return f

    # The first alone, so that its kernels are compiled once.
    for f in drawing.missing[:1]:
        one(f)
        drawing.step()
    with ThreadPoolExecutor(threads) as pool:
        waiting = [pool.submit(one, f) for f in drawing.missing[1:]]
        try:
            for future in as_completed(waiting):
                future.result()
                drawing.step()
        except BaseException:
            for future in waiting:
                future.cancel()
            raise


def _take_up(effect: Effect, folder: Path, options: BakeOptions, takes: list[str]) -> None:
    """Clear what another effect or other options left, by the record kept beside the frames."""
    chosen = options.model_dump(mode="json", exclude=CHOOSING)
    text = write_text(effect) + json.dumps(chosen, sort_keys=True)
    digest = hashlib.sha256(text.encode()).hexdigest()
    record = folder / _RECORD
    try:
        known = json.loads(record.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        known = {}
    if known.get("digest") == digest:
        return
    for name in (n for take in takes for n in names(options.pattern, take, effect.turn, options.loops)):
        # Only names this bake would write; nothing else in the folder is touched.
        for still in STILLS:
            (folder / f"{name}.{still}").unlink(missing_ok=True)
    with whole(record) as part:
        part.write_text(json.dumps({"digest": digest, "effect": effect.name, "options": chosen}, indent=2) + "\n")
