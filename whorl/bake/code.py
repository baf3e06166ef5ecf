"""An effect's code written out: a file a language, its parameters as JSON, its pictures, and a page of README."""

import json
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from whorl.bake.options import slug
from whorl.bake.still import save_exr
from whorl.bake.whole import whole
from whorl.effect import Effect
from whorl.effect.read import made_by, state_of
from whorl.effect.value import MOTIONS
from whorl.images.library import NotKept, library
from whorl.plan.build import build
from whorl.plan.graph import Picture
from whorl.plan.print.code import Code, code
from whorl.plan.print.languages import LANGUAGES
from whorl.plan.print.languages.shell import Shell
from whorl.refused import Refused


def write_code(
    effect: Effect, folder: Path, languages: Sequence[str], tick: Callable[[str], None] = lambda words: None
) -> list[Path]:
    """Writes an effect's code in each language into a folder; gives the files. Raises BadEffect, Refused."""
    for name in languages:
        if name not in LANGUAGES:
            raise Refused(f"there is no language '{name}'; there are {', '.join(LANGUAGES)}")
    plan, base = build(effect), slug(effect.name)
    made = {}
    for name in languages:
        tick(LANGUAGES[name].title)
        made[name] = code(plan, LANGUAGES[name])
    folder.mkdir(parents=True, exist_ok=True)
    paths = []
    for name, one in made.items():
        paths.append(_text(folder / f"{base}{LANGUAGES[name].ending}", one.text))
    first = next(iter(made.values()))
    for name, picture in first.pictures.items():
        for frame in range(picture.frames if picture.ahead == 0 else 0):
            try:
                sheet = library.sheet(picture.hash, picture.read, frame)
            except NotKept:
                raise Refused("a picture of the effect is not kept here; open the bundle that carries it") from None
            number = f"-{frame:04d}" if picture.frames > 1 else ""
            paths.append(folder / f"{base}-{name.replace('_', '-')}{number}.exr")
            save_exr(np.asarray(sheet.image.pixels), paths[-1], half=True, said=made_by(effect))
    told = described(effect, made, [p.name for p in paths])
    paths.append(_text(folder / f"{base}-parameters.json", json.dumps(told, indent=2) + "\n"))
    paths.append(_text(folder / "README.md", readme(effect, made, told)))
    return paths


def _text(path: Path, text: str) -> Path:
    with whole(path) as part:
        part.write_text(text, encoding="utf-8")
    return path


def described(effect: Effect, made: dict[str, Code], files: Sequence[str]) -> dict[str, Any]:
    """What the JSON beside the code says."""
    first, turn = next(iter(made.values())), effect.turn
    return {
        "format": "whorl-code",
        "version": 1,
        "made by": "Whorl",
        "effect": effect.name,
        "state": state_of(effect),
        "files": list(files),
        "turn": {"seconds": turn.seconds, "frames": turn.frames, "fps": turn.fps, "loops": turn.looping},
        "functions": {n: f for n, f in _functions(first).items() if f},
        "parameters": [
            {
                "name": p.name,
                "kind": p.kind,
                "words": p.words,
                "default": list(p.value),
                "offset": {name: one.offsets[one.parameters[i].name] for name, one in made.items()},
            }
            | ({"least": p.least, "most": p.most} if p.least is not None else {})
            | ({"unit": p.unit} if p.unit else {})
            | ({"frames": [list(row) for row in p.rows]} if p.rows else {})
            for i, p in enumerate(first.parameters)
        ],
        "inputs": first.point,
        "channels": first.outputs,
        "pictures": {name: p.hash for name, p in first.pictures.items()},
        "sequences": {
            name: {"frames": p.frames, "ahead": p.ahead, "files of": _present(first, p)}
            for name, p in first.pictures.items()
            if p.at
        },
        "motions as tables": list(first.tables),
    }


def _present(one: Code, picture: Picture) -> str:
    """The name of the picture that is the frame at hand of the same sequence."""
    return next(n for n, p in one.pictures.items() if p.at == picture.at and p.read == picture.read and p.ahead == 0)


def _functions(one: Code) -> dict[str, str]:
    return {"channels": one.channels, "picture": one.picture, "height": one.height}


def readme(effect: Effect, made: dict[str, Code], told: dict[str, Any]) -> str:
    """One page for whoever takes the code."""
    first, turn = next(iter(made.values())), effect.turn
    shells: list[Shell] = [LANGUAGES[name] for name in made]
    lines = [
        f"# {effect.name}",
        "",
        *([effect.notes, ""] if effect.notes else []),
        f"Made by Whorl from state `{state_of(effect)}` of the effect. The code needs nothing else.",
        "",
        *(f"- `{file}`: {shell.title}" for file, shell in zip(told["files"], shells, strict=False)),
        f"- `{slug(effect.name)}-parameters.json`: every parameter with default, range and place in a buffer",
        "",
        "## What to call",
        "",
        f"- `{first.channels}(point, params)` gives the surface before any light falls on it, for your own lighting.",
    ]
    if first.picture:
        lines.append(f"- `{first.picture}(point, params)` gives its picture by its own light: linear, premultiplied.")
    if first.height:
        lines.append(f"- `{first.height}(point, params)` gives how far a vertex is moved outwards; call it there.")
    way = "round and round" if turn.looping else "once"
    lines += [
        "",
        f"A turn takes {turn.seconds:g} s and is played {way}: `phase` is the time over that, 0 to 1.",
        "Texture coordinates run upwards in v. Light is linear, with Rec. 709 primaries.",
        "Call the channels where all four pixels of a quad do, since edges are as wide as a pixel.",
        "",
        "## What each point needs",
        "",
        *(f"- `{name}`: {words}" for name, words in first.point.items()),
        "",
        "## Parameters",
        "",
        "| name | what it is | by default | from | to |",
        "|---|---|---|---|---|",
    ]
    for p in first.parameters:
        shown = " ".join(f"{x:.6g}" for x in p.value) if len(p.value) <= 4 else "see the JSON"
        ends = [f"{x:.6g}" if x is not None else "" for x in (p.least, p.most)]
        unit = f" ({p.unit})" if p.unit else ""
        words = " ".join(p.words.split()).replace("|", "/")
        lines.append(f"| `{p.name}` | {words}{unit} | {shown} | {ends[0]} | {ends[1]} |")
    if first.pictures:
        lines += [
            "",
            "Pictures are half floats with all their levels in one sheet, as the code reads them; row 0 is the first.",
        ]
    for name, picture in first.pictures.items():
        if picture.at:
            step = "the next one" if picture.ahead else "the frame at hand"
            files = f"whose files are those of `{_present(first, picture)}`"
            lines += [
                "",
                f"`{name}` is {step} of a sequence of {picture.frames}, {files}: which one is the whole part of the "
                "parameter in frames that goes with it, and after the last comes the first.",
            ]
    lost = _lost(effect)
    if lost:
        lines += ["", "## What is not in it", "", *(f"- {words}" for words in lost)]
    return "\n".join(lines) + "\n"


def _lost(effect: Effect) -> list[str]:
    """What of the effect its receiver has to see to."""
    out = ["bloom and tone mapping, which come after the picture"]
    materials = effect.surface.materials.values()
    if any(m.lighting == "lit" for m in materials):
        out.append("lamps, sky and neighbours: your own lighting takes the channels")
    if any(m.clear for m in materials):
        out.append("what is seen through the clear body: your renderer bends it by the channels")
    moving = [x.name for x in effect.levers if isinstance(x.value, MOTIONS)]
    if moving:
        out.append(f"levers that are in motion, which the code moves by itself: {', '.join(moving)}")
    held = [x.name for x in effect.levers if x.kind == "choice" or any(s.sounds_with == x.id for s in effect.strands)]
    if held:
        out.append(f"levers that choose another program, which stand as they do: {', '.join(held)}")
    return out
