"""Everything that an effect can be handed over as, and who would take what; a new form is an entry here."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from whorl.bake.bake import listed, stretch
from whorl.bake.code import write_code
from whorl.bake.frame import scene_of
from whorl.bake.maps import MapsOptions, write_maps
from whorl.bake.options import BakeOptions, slug
from whorl.bake.page import page_of, write_element, write_page
from whorl.bake.png import png
from whorl.bake.scene import FORMATS, SceneOptions
from whorl.bake.scene.baked import Told
from whorl.effect import Effect
from whorl.plan.build import build
from whorl.plan.print.languages import LANGUAGES
from whorl.stage.frame import finished


@dataclass(frozen=True)
class Handed:
    """A form of an effect: its title, what it is for, what becomes of an effect in it, and what makes it at once.

    What takes long is baked instead, and is made by no `write`.
    """

    key: str
    title: str
    words: str
    told: Callable[[Effect], Told]
    write: Callable[[Effect, Path, "Wanted"], list[Path]] | None = None


@dataclass(frozen=True)
class Wanted:
    """What is asked for of a form that is made at once."""

    maps: MapsOptions = field(default_factory=MapsOptions)
    scene: SceneOptions = field(default_factory=SceneOptions)
    languages: Sequence[str] = tuple(LANGUAGES)
    #: Told as each part of it is begun; raises to stop.
    tick: Callable[[str], None] = lambda words: None


def _pictures(effect: Effect) -> Told:
    out = Told(["all that the stage shows, frame by frame", "of an EXR: light beyond what a screen shows, and layers"])
    if effect.turn.looping:
        out.carried.append("that it loops")
    out.nearly.append("colours of a video: as its codec has them")
    out.nearly.append("motion on a sheet: stepped from frame to frame, with the way between where all scrolls")
    out.lost += ["levers: they stand as they do, or as variants say", "the view: it is seen from one side"]
    return out


def _mapped(effect: Effect) -> Told:
    return Told(
        ["each channel that strands feed, over the UV of the shape or a tile"],
        ["what depends on the view: as seen straight from before each point"],
        ["how it composites, lamps, sky and neighbours: those of the receiver take their place"],
    )


def _coded(effect: Effect) -> Told:
    out = Told(["every bead and motion, exactly", "levers, as named parameters", "hits and pictures, as inputs"])
    if any(m.lighting == "lit" for m in effect.surface.materials.values()):
        out.lost.append("lamps, sky and neighbours: the receiver's own lighting takes the channels")
    if any(a.frames > 1 for a in effect.assets):
        out.nearly.append("picture sequences: a file a frame, which the receiver puts in")
    out.lost.append("bloom and tone mapping: they come after the picture")
    return out


def _paged(effect: Effect) -> Told:
    made = page_of(effect)
    out = Told(["the whole picture, live", "levers and variants"])
    if made.coarser:
        out.nearly.append(made.coarser)
    out.lost += [f"the lever {name}: another program would be needed" for name in made.left]
    return out


def _written_page(effect: Effect, folder: Path, wanted: Wanted) -> list[Path]:
    path = folder / f"{slug(effect.name)}.html"
    write_page(effect, path)
    return [path, *write_element(effect, folder)]


HANDED: dict[str, Handed] = {
    h.key: h
    for h in (
        Handed("pictures", "Pictures", "frames, videos and sheets of the turn", _pictures),
        Handed(
            "maps",
            "Maps",
            "each channel as a picture over UV",
            _mapped,
            lambda e, f, w: write_maps(e, f, w.maps, tick=w.tick),
        ),
        Handed("code", "Code", "readable shader code", _coded, lambda e, f, w: write_code(e, f, w.languages, w.tick)),
        Handed("page", "Page", "one HTML file that plays it, with its levers", _paged, _written_page),
        *(
            Handed(s.key, s.title, s.words, s.told, lambda e, f, w, s=s: s.write(e, f, w.scene, w.tick))
            for s in FORMATS.values()
        ),
    )
}


def wanted_of(options: BakeOptions, tick: Callable[[str], None]) -> Wanted:
    """How a bake makes the other forms."""
    size, frames = options.map_size, options.map_frames
    return Wanted(MapsOptions(size=size, frames=frames), SceneOptions(size=size, frames=frames), tick=tick)


@dataclass(frozen=True)
class Receiver:
    """Who takes an effect: the forms that serve them, and what a bake for them begins with."""

    key: str
    title: str
    words: str
    forms: tuple[str, ...]
    bake: dict[str, Any]


RECEIVERS = (
    Receiver(
        "game",
        "A game",
        "runs it again, many times a second",
        ("code", "glb", "maps", "pictures"),
        {
            "width": 256,
            "height": 256,
            "transparent": True,
            "stills": [],
            "videos": [],
            "sheet": {"premultiplied": True},
        },
    ),
    Receiver(
        "film",
        "A film",
        "composites it, or renders it again",
        ("pictures", "usd", "mtlx"),
        {
            **{"width": 1920, "height": 1080, "transparent": True, "stills": ["exr"], "videos": [], "sheet": None},
            **{"floats": "16 bits", "shutter": 0.5, "exposures": 4, "layers": ["depth", "normal", "emission"]},
        },
    ),
    Receiver(
        "page",
        "A page",
        "shows it in a browser",
        ("page", "pictures", "code"),
        {"width": 720, "height": 720, "transparent": True, "stills": [], "videos": ["webm"], "sheet": None},
    ),
    Receiver(
        "show",
        "A show",
        "plays it on a wall, or drives it live",
        ("pictures", "code"),
        {
            **{"width": 1920, "height": 1080, "transparent": False, "stills": ["png"], "videos": ["mp4"]},
            **{"sheet": None, "depth": "8 bits", "dither": True},
        },
    ),
)


@dataclass(frozen=True)
class Estimate:
    """What a bake comes to: frames, seconds of this machine, and bytes of its stills."""

    frames: int
    seconds: float
    bytes: int


#: The longer side of the picture that a bake is judged by.
_TRIAL = 160


def estimate(effect: Effect, options: BakeOptions, threads: int = 2) -> Estimate:
    """Draws one small frame twice and reckons from the second how long all would take and how large they would be.
    Raises BadEffect, Refused."""
    takes = listed(effect, options)
    each = len(stretch(effect, options))
    share = _TRIAL / max(options.width, options.height)
    side = [max(16, round(n * share)) for n in (options.width, options.height)]
    small = options.model_copy(update={"width": side[0], "height": side[1], "finer": 1, "exposures": 1})
    plan = build(takes[0].effect)
    took = 0.0
    for _ in range(2):
        began = time.perf_counter()
        scene = scene_of(plan, options.first, small)
        shown = np.asarray(finished(plan, scene, plan.effect.turn.phase(options.first)), np.float32)
        took = time.perf_counter() - began
    bare = len(png(shown, 4 if options.transparent else 3, 16 if options.depth == "16 bits" else 8))
    seconds = size = 0.0
    times = options.finer**2 * (options.exposures if options.shutter else 1)
    for take in takes:
        pixels = take.width * take.height / (side[0] * side[1])
        # A part of each frame's time does not grow with its size.
        seconds += each * took * (0.2 + 0.8 * pixels * times) / threads
        light = take.width * take.height * (2 if options.floats == "16 bits" else 4) * (4 + 2 * len(options.layers)) / 2
        size += each * options.loops * (("png" in options.stills) * bare * pixels + ("exr" in options.stills) * light)
    return Estimate(each * options.loops * len(takes), seconds, int(size))
