"""The command `whorl`."""

import json
import logging
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from pydantic import ValidationError
from rich.console import Console
from rich.progress import Progress as Bar

from whorl.effect import BadEffect, Effect
from whorl.refused import Refused

if TYPE_CHECKING:
    from whorl.effect.document import Lever
    from whorl.plan.build import Planned
    from whorl.plan.graph import Node

app = typer.Typer(
    add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False, help="Motion shader effects."
)

File = Annotated[
    str,
    typer.Argument(
        metavar="FILE",
        help="A .whorl.json file, a .whorl.zip bundle with its pictures and mesh, or the slug of a demo effect.",
    ),
]
Out = Annotated[Path, typer.Option("--out", "-o", help="Where to write.")]
Phase = Annotated[float, typer.Option(help="Where in the turn, 0 to 1.", min=0, max=1)]
Size = Annotated[str, typer.Option(metavar="SIDE or WxH", help="Pixels: 512, or 1280x720.")]
Turned = Annotated[
    list[str] | None, typer.Option("--lever", metavar="NAME=VALUE", help="Turn a lever; may be given again.")
]
Chosen = Annotated[str | None, typer.Option("--variant", metavar="NAME", help="Levers as a variant has them.")]
Data = Annotated[Path | None, typer.Option(help="Where effects and bakes are kept.")]


def _exact(wanted: bool) -> None:
    """Before anything is compiled."""
    if wanted:
        from whorl.shade.exact import turn_on

        turn_on()


Exact = Annotated[
    bool,
    typer.Option("--exact", callback=_exact, is_eager=True, help="The same pixels on any processor; slower."),
]


@contextmanager
def told() -> Iterator[None]:
    """Bad input ends in one plain line on standard error and exit code 2."""
    try:
        yield
    except BadEffect as e:
        first = e.problems[0]
        more = f" (and {len(e.problems) - 1} more)" if len(e.problems) > 1 else ""
        _end(f"{first.place + ': ' if first.place else ''}{first.words}{more}")
    except ValidationError as e:
        error = e.errors()[0]
        _end(f"{'/'.join(map(str, error['loc']))}: {error['msg']}".lstrip(": "))
    except Refused as e:
        _end(str(e))
    except OSError as e:
        _end(f"{e.filename}: {(e.strerror or str(e)).lower()}")
    except (typer.Exit, typer.Abort):
        raise
    except Exception:
        if os.environ.get("WHORL_DEBUG"):
            logging.getLogger("whorl").exception("unforeseen")
        _end("Whorl stumbled over this; with WHORL_DEBUG=1 it says where")


@contextmanager
def working() -> Iterator[None]:
    """Says that something is being done, where somebody is there to see it."""
    console = Console(stderr=True)
    if not console.is_terminal:
        yield
        return
    with console.status("drawing; the first time compiles, for some seconds"):
        yield


def _end(words: str) -> None:
    print(f"whorl: {' '.join(words.split())}", file=sys.stderr)
    raise typer.Exit(2)


def _read(file: str) -> Effect:
    from whorl import demo
    from whorl.bundle import read_file
    from whorl.images import library

    path = Path(file)
    if not path.exists():
        if file in demo.slugs():
            return demo.demo(file)
        raise Refused(f"{file}: no such file, and no demo effect of that name; there are {', '.join(demo.slugs())}")
    try:
        return read_file(path.read_bytes(), library)
    except BadEffect as e:
        e.problems[0].words = f"{e.problems[0].words} [{file}]"
        raise


def _plan(file: str, variant: str | None = None, lever: list[str] | None = None) -> "Planned":
    from whorl.plan.build import build

    return build(_turned(_read(file), variant, lever))


def _turned(effect: Effect, variant: str | None, lever: list[str] | None) -> Effect:
    """The effect with its levers as a variant has them, and then some turned by hand."""
    from whorl.effect.levers import applied, parsed, set_to, variant_called

    if variant:
        effect = applied(effect, variant_called(effect, variant))
    return set_to(effect, dict(parsed(effect, text) for text in lever or []))


def _node(plan: "Planned", where: str) -> "Node":
    strand, _, bead = where.partition("/")
    found = next((s for s in plan.effect.strands if s.id == strand or s.name == strand), None)
    if found is None:
        known = ", ".join(s.id for s in plan.effect.strands) or "none"
        raise Refused(f"there is no strand '{strand}'; there are {known}")
    wanted = bead or (found.beads[-1].id if found.beads else "")
    node = plan.beads.get(f"{found.id}/{wanted}")
    if node is None:
        raise Refused(
            f"strand '{found.id}' has no bead '{wanted}'; it has {', '.join(b.id for b in found.beads) or 'none'}"
        )
    return node


def _ending(path: Path, allowed: tuple[str, ...]) -> None:
    if path.suffix not in allowed:
        raise Refused(f"{path}: the ending says the format; use {', '.join(allowed)}")
    if not path.parent.is_dir():
        raise Refused(f"{path}: there is no folder {path.parent}")


SignalPort = Annotated[int, typer.Option("--signals-port", help="The UDP port for signals.", min=0, max=65535)]
Cluster = Annotated[
    str | None, typer.Option("--dask", metavar="tcp://HOST:8786", help="Draw bakes on the workers of this scheduler.")
]
SignalHost = Annotated[str, typer.Option("--signals-host", help="Whose signals are taken: this machine's, or 0.0.0.0.")]


@app.command()
def demo(
    port: int = 8321,
    data: Data = None,
    open_: Annotated[bool, typer.Option("--open/--no-open")] = True,
    signals_port: SignalPort = 8322,
    signals_host: SignalHost = "127.0.0.1",
    dask: Cluster = None,
    exact: Exact = False,
) -> None:
    """Start Whorl on the demo effects and open a browser."""
    _serve("127.0.0.1", port, data, open_, True, (signals_host, signals_port), dask)


@app.command()
def serve(
    port: int = 8321,
    host: str = "127.0.0.1",
    data: Data = None,
    open_: Annotated[bool, typer.Option("--open/--no-open")] = False,
    signals_port: SignalPort = 8322,
    signals_host: SignalHost = "127.0.0.1",
    dask: Cluster = None,
    exact: Exact = False,
) -> None:
    """Start Whorl."""
    _serve(host, port, data, open_, False, (signals_host, signals_port), dask)


def _serve(
    host: str,
    port: int,
    data: Path | None,
    open_: bool,
    demo_effects: bool,
    signals: tuple[str, int],
    cluster: str | None,
) -> None:
    from whorl.api.server import run
    from whorl.signals.port import Port

    with told():
        run(host, port, data, open_, demo_effects, Port(*signals), cluster)


@app.command()
def signals(
    host: Annotated[str, typer.Option(help="Where to.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="The UDP port.", min=1, max=65535)] = 8322,
    seed: Annotated[int, typer.Option(help="Which night.", min=0)] = 1,
    speed: Annotated[float, typer.Option(help="How fast it passes.", min=0.01, max=20)] = 1.0,
    seconds: Annotated[float | None, typer.Option(help="For so long; until Ctrl+C by default.", min=0)] = None,
) -> None:
    """Play the ferry's night as OSC: a tide, gusts, spray on the buoy, a lamp, and a gate that opens."""
    from whorl.signals.port import Playing

    with told():
        try:
            night = Playing(host, port, seed, speed)
        except OSError as e:
            raise Refused(f"--host: there is no way to {host} ({(e.strerror or str(e)).lower()})") from None
        print(f"the ferry's night {seed} goes to {host}:{port}; Ctrl+C ends it", flush=True)
        try:
            night.wait(seconds)
        except KeyboardInterrupt:
            pass
        finally:
            night.stop()
        print(f"{night.sent} messages")


@app.command()
def render(
    file: File,
    out: Out,
    phase: Phase = 0.0,
    size: Size = "512",
    peek: Annotated[str | None, typer.Option(metavar="STRAND[/BEAD]", help="Show one bead alone.")] = None,
    transparent: Annotated[bool, typer.Option(help="Leave the backdrop out.")] = False,
    variant: Chosen = None,
    lever: Turned = None,
    exact: Exact = False,
) -> None:
    """One frame as PNG, or as EXR with the scene's light before tone mapping."""
    import numpy as np

    from whorl.bake.options import sides
    from whorl.bake.png import save_png
    from whorl.bake.still import PICTURES, save_exr
    from whorl.stage.frame import lit_scene, picture

    with told():
        _ending(out, PICTURES)
        plan = _plan(file, variant, lever)
        node = _node(plan, peek) if peek else None
        width, height = sides(size)
        if not all(2 <= s <= 8192 for s in (width, height)):
            raise Refused(f"--size: sides are from 2 to 8192 pixels, not {width}x{height}")
        with working():
            if out.suffix == ".exr":
                scene = lit_scene(plan, phase, width, height, node, transparent, threads=2)
                save_exr(np.moveaxis(scene, 0, -1), out)
            else:
                made = picture(plan, phase, width, height, peek=node, transparent=transparent, threads=2)
                save_png(made, out, transparent)


@app.command()
def field(
    file: File,
    strand: Annotated[str, typer.Option(metavar="STRAND[/BEAD]")],
    out: Out,
    phase: Phase = 0.0,
    size: Annotated[int, typer.Option(help="Width and height in pixels.", min=2, max=8192)] = 512,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """One strand over the flat unit UV square; npy and exr are raw float32, row 0 at v = 1."""
    from whorl.bake.still import FIELDS, save_field
    from whorl.stage import flat

    with told():
        _ending(out, FIELDS)
        plan = _plan(file, variant, lever)
        node = _node(plan, strand)
        with working():
            save_field(flat.field(plan, node, size, phase, threads=2), out)


@app.command()
def bake(
    file: File,
    out: Out,
    size: Size = "512",
    frames: Annotated[str | None, typer.Option(metavar="A:B", help="Frames A up to B; all by default.")] = None,
    video: Annotated[list[str] | None, typer.Option(help="webm, mp4, gif or webp; may be given again.")] = None,
    transparent: Annotated[bool, typer.Option(help="Leave the backdrop out.")] = False,
    pattern: Annotated[
        str, typer.Option(help="File names: #### is the frame; {name}, {frame:04d}, {phase}.")
    ] = "{name}-####",
    still: Annotated[list[str] | None, typer.Option(help="png or exr; may be given again.")] = None,
    bits: Annotated[int, typer.Option(help="Bits a channel of a PNG: 8 or 16.")] = 8,
    quality: Annotated[str, typer.Option(help="Of videos: small, good or best.")] = "good",
    only_video: Annotated[bool, typer.Option(help="Keep no frames.")] = False,
    dither: Annotated[bool, typer.Option(help="Spread 8 bits by blue noise, so that no steps are seen.")] = False,
    half: Annotated[bool, typer.Option(help="EXR in half floats.")] = False,
    after: Annotated[bool, typer.Option(help="EXR as it is seen: after bloom and tone mapping, linear.")] = False,
    straight: Annotated[bool, typer.Option(help="EXR with straight alpha.")] = False,
    layer: Annotated[
        list[str] | None,
        typer.Option(help="emission, backdrop, depth, normal, uv, motion or STRAND/BEAD, in the EXR; again for more."),
    ] = None,
    finer: Annotated[int, typer.Option(help="Draw so many times as fine each way.", min=1, max=4)] = 1,
    shutter: Annotated[float, typer.Option(help="Gather light for so much of a frame.", min=0, max=1)] = 0.0,
    exposures: Annotated[int, typer.Option(help="So often while the shutter is open.", min=1, max=32)] = 8,
    every: Annotated[int, typer.Option(help="Every nth frame.", min=1)] = 1,
    loops: Annotated[int, typer.Option(help="The turn so many times.", min=1, max=64)] = 1,
    also: Annotated[
        list[str] | None, typer.Option("--also", metavar="WxH", help="This size too; again for more.")
    ] = None,
    shape: Annotated[list[str] | None, typer.Option(help="On this shape instead; again for more.")] = None,
    form: Annotated[
        list[str] | None, typer.Option(help="maps, code, page, glb, mtlx or usd too, of each variant and shape.")
    ] = None,
    dask: Cluster = None,
    exact: Exact = False,
    variant: Annotated[
        list[str] | None,
        typer.Option("--variant", metavar="NAME", help="Levers as a variant has them; may be given again."),
    ] = None,
    all_variants: Annotated[bool, typer.Option(help="Each variant, named.")] = False,
    lever: Turned = None,
) -> None:
    """Frames of the turn, and videos. Run again, it goes on where it stopped."""
    from whorl.bake.bake import bake as run
    from whorl.bake.options import BakeOptions, sides

    with told():
        effect = _turned(_read(file), None, lever)
        variants = [v.id for v in effect.variants] if all_variants else variant or []
        first, last = _range(frames)
        width, height = sides(size)
        options = BakeOptions.model_validate(
            {
                "width": width,
                "height": height,
                "first": first,
                "last": last,
                "videos": video or [],
                "transparent": transparent,
                "pattern": pattern,
                "variants": variants,
                "depth": f"{bits} bits",
                "dither": dither,
                "quality": quality,
                "floats": "16 bits" if half else "32 bits",
                "light": "after" if after else "before",
                "alpha": "straight" if straight else "premultiplied",
                "layers": layer or [],
                "finer": finer,
                "shutter": shutter,
                "exposures": exposures,
                "every": every,
                "loops": loops,
                "sizes": [dict(zip(("width", "height"), sides(text), strict=True)) for text in also or []],
                "shapes": shape or [],
                "forms": form or [],
                "stills": [] if only_video else still or ["png"],
            }
        )
        console = Console(stderr=True)
        with Bar(console=console, transient=True, disable=not console.is_terminal) as bar:
            task = bar.add_task(effect.name)
            made = run(effect, out, options, lambda p: bar.update(task, total=p.total, completed=p.done), cluster=dask)
        print(f"{len(made)} files in {out}")


@app.command()
def sheet(
    file: File,
    out: Out,
    size: Size = "128",
    columns: Annotated[int, typer.Option(help="Frames beside one another; 0 makes a square power of two.", min=0)] = 0,
    padding: Annotated[int, typer.Option(help="Pixels of each frame's own edge round it.", min=0)] = 2,
    every: Annotated[int, typer.Option(help="Every nth frame.", min=1)] = 1,
    frames: Annotated[str | None, typer.Option(metavar="A:B", help="Frames A up to B; all by default.")] = None,
    premultiplied: Annotated[bool, typer.Option(help="Colour times alpha, in linear light.")] = False,
    backdrop: Annotated[bool, typer.Option(help="With what is behind the effect.")] = False,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """The turn as a flipbook: its frames in a grid on one PNG or EXR, and a JSON that says where each is."""
    import tempfile

    from whorl.bake.bake import bake as run
    from whorl.bake.options import BakeOptions, sides
    from whorl.bake.sheet import SheetOptions, grid, lay, nth
    from whorl.bake.still import PICTURES

    with told():
        _ending(out, PICTURES)
        effect = _turned(_read(file), variant, lever)
        first, last = _range(frames)
        width, height = sides(size)
        kind = out.suffix.removeprefix(".")
        given = {"kind": kind, "columns": columns, "padding": padding, "every": every, "premultiplied": premultiplied}
        wanted = SheetOptions.model_validate(given)
        numbers = nth(range(first, effect.turn.frames if last is None else last), wanted)
        grid(len(numbers), width, height, wanted)
        options = BakeOptions.model_validate(
            {"width": width, "height": height, "first": first, "last": last, "stills": [kind], "pattern": "f-####"}
            | {"transparent": not backdrop}
        )
        console = Console(stderr=True)
        with (
            Bar(console=console, transient=True, disable=not console.is_terminal) as bar,
            tempfile.TemporaryDirectory(dir=out.parent, prefix=".sheet-") as folder,
        ):
            task = bar.add_task(effect.name)
            made = run(effect, Path(folder), options, lambda p: bar.update(task, total=p.total, completed=p.done))
            for path in lay(effect, dict(zip(range(first, first + len(made)), made, strict=True)), wanted, out):
                print(path)


@app.command()
def maps(
    file: File,
    out: Annotated[Path, typer.Option("--out", "-o", help="The folder to write into.")],
    size: Annotated[int, typer.Option(help="The side of each map in pixels.", min=16, max=4096)] = 1024,
    over: Annotated[str, typer.Option(help="shape: the UV of its shape; tile: a flat square.")] = "shape",
    padding: Annotated[int, typer.Option(help="Pixels that edges go on beyond the UV.", min=0, max=256)] = 8,
    green: Annotated[str, typer.Option(help="Which way green of a normal is: up or down.")] = "up",
    kind: Annotated[str, typer.Option(help="png or exr.")] = "png",
    frames: Annotated[int, typer.Option(help="So many frames of the turn on each map; 1 is a still.", min=1)] = 1,
    pack: Annotated[
        list[str] | None, typer.Option(metavar="NAME=A,B,C", help="Channels in one map; may be given again.")
    ] = None,
    phase: Phase = 0.0,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """Each channel of the surface over UV, and a JSON that says what each map holds."""
    from whorl.bake.maps import MapsOptions, write_maps

    with told():
        effect = _turned(_read(file), variant, lever)
        given: dict[str, object] = {"size": size, "over": over, "padding": padding, "green": green, "kind": kind}
        given["frames"] = frames
        if pack is not None:
            given["packed"] = {name: names.split(",") for name, _, names in (p.partition("=") for p in pack)}
        with working():
            for path in write_maps(effect, out, MapsOptions.model_validate(given), phase):
                print(path)


@app.command()
def code(
    file: File,
    out: Annotated[Path, typer.Option("--out", "-o", help="The folder to write into.")],
    language: Annotated[
        list[str] | None,
        typer.Option("--language", help="glsl-es, glsl, hlsl, wgsl or metal; may be given again. All by default."),
    ] = None,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """The effect as code that a shader author can read, with its levers as parameters."""
    from whorl.bake.code import write_code
    from whorl.plan.print.languages import LANGUAGES

    with told():
        for path in write_code(_turned(_read(file), variant, lever), out, language or list(LANGUAGES)):
            print(path)


@app.command()
def scene(
    file: File,
    out: Annotated[Path, typer.Option("--out", "-o", help="The folder to write into.")],
    format_: Annotated[str, typer.Option("--format", help="glb, mtlx or usd.")],
    size: Annotated[int, typer.Option(help="The side of each map in pixels.", min=16, max=2048)] = 512,
    frames: Annotated[int, typer.Option(help="At how many phases of the turn it is taken.", min=1, max=64)] = 16,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """The effect on its shape as a glTF, a MaterialX document or a USD stage, and a table of what is lost in it."""
    from whorl.bake.scene import FORMATS, SceneOptions, quiet

    with told():
        if format_ not in FORMATS:
            raise Refused(f"--format: there is no '{format_}'; there are {', '.join(FORMATS)}")
        effect = _turned(_read(file), variant, lever)
        with working():
            for path in FORMATS[format_].write(effect, out, SceneOptions(size=size, frames=frames), quiet):
                print(path)


@app.command()
def page(
    file: File,
    out: Out,
    element: Annotated[
        bool, typer.Option("--element", help="As an element of a page of your own: a script and what it plays.")
    ] = False,
    variant: Chosen = None,
    lever: Turned = None,
) -> None:
    """One HTML file that plays the effect with its levers and variants, without any network; or, into a folder, the
    element <whorl-effect>."""
    from whorl.bake.page import write_element, write_page

    with told():
        effect = _turned(_read(file), variant, lever)
        if element:
            for path in write_element(effect, out):
                print(path)
            return
        _ending(out, (".html",))
        with working():
            made = write_page(effect, out)
        print(out)
        if made.left:
            print(f"left out, since another program would be needed: {', '.join(made.left)}", file=sys.stderr)


def _range(frames: str | None) -> tuple[int, int | None]:
    if frames is None:
        return 0, None
    first, colon, last = frames.partition(":")
    try:
        return int(first or 0), int(last) if last else (None if colon else int(first) + 1)
    except ValueError:
        raise Refused(f"--frames takes A:B, as in 0:24, not '{frames}'") from None


@app.command()
def levers(file: File, as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """The levers of an effect, by group, and its variants."""
    from whorl.effect.levers import standing

    with told():
        effect = _read(file)
        if as_json:
            listed = [x.model_dump(mode="json") | {"standing": standing(x)} for x in effect.levers]
            shown = {"levers": listed, "variants": [v.model_dump(mode="json") for v in effect.variants]}
            print(json.dumps(shown, indent=2, ensure_ascii=False))
            return
        for group in dict.fromkeys(x.group for x in effect.levers):
            print(group or "levers")
            for x in (x for x in effect.levers if x.group == group):
                print(f"  {x.name}: {_stands(x)}" + (f"  {x.note}" if x.note else ""))
        if effect.variants:
            print("variants: " + ", ".join(v.name for v in effect.variants))


def _stands(lever: "Lever") -> str:
    if lever.kind == "switch":
        return "on" if lever.on else "off"
    if lever.kind == "choice":
        named = [o.name for o in lever.options]
        return f"{named[lever.chosen]} of {', '.join(named)}" if lever.chosen < len(named) else "nothing to choose"
    if lever.kind == "place":
        place = lever.position if isinstance(lever.position, tuple) else lever.rest_position
        return ", ".join(f"{x:g}" for x in place)
    if lever.kind == "colour":
        colour = lever.colour if isinstance(lever.colour, tuple) else lever.rest_colour
        return ", ".join(f"{x:g}" for x in colour)
    moving = "in motion" if not isinstance(lever.value, int | float) else f"{lever.value:g}"
    return f"{moving} of {lever.least:g} … {lever.most:g} {lever.unit}".rstrip()


@app.command()
def second(
    file: File,
    out: Annotated[Path, typer.Option("--out", "-o", help="Where the effect is written.")],
    take: Annotated[str | None, typer.Option(help="An effect that becomes the second surface.")] = None,
    mask: Annotated[
        str,
        typer.Option(help="STRAND or STRAND/BEAD: where it shows. Without, a front comes along that passes in a turn."),
    ] = "",
    exchange: Annotated[bool, typer.Option(help="Both materials change places.")] = False,
) -> None:
    """A whole effect as the second surface of another, or both materials exchanged."""
    from whorl.bake.whole import whole
    from whorl.effect import write_text
    from whorl.effect.second import exchanged, taken
    from whorl.effect.value import Feed

    with told():
        effect = _read(file)
        if not (take or exchange):
            raise Refused("say what to do: --take FILE, or --exchange")
        if take:
            strand, _, bead = mask.partition("/")
            effect = taken(effect, _read(take), Feed(strand=strand, bead=bead or None) if mask else None)[0]
        if exchange:
            effect = exchanged(effect)
        with whole(out) as part:
            part.write_text(write_text(effect), encoding="utf-8")
        print(out)


@app.command()
def check(
    file: File,
    as_json: Annotated[bool, typer.Option("--json", help="Everything, mends too, as JSON.")] = False,
    only: Annotated[list[str] | None, typer.Option(help="Only findings of this kind; may be given again.")] = None,
    mend: Annotated[str | None, typer.Option(help="Take the first mend of each finding of this kind.")] = None,
    out: Annotated[Path | None, typer.Option("--out", "-o", help="Where the mended effect is written.")] = None,
    everywhere: Annotated[
        bool,
        typer.Option("--all", help="Also at both ends of each lever and for each variant, and what was set aside."),
    ] = False,
    to: Annotated[Path | None, typer.Option("--report", help="Where a report is written, with what flashes.")] = None,
) -> None:
    """Findings about an effect, and their mends.

    What was set aside does not count. Exit code 0: nothing found; 1: could be better; 3: looks wrong; 4: breaks the
    hand-over; 2: bad input.
    """
    from whorl.bake.whole import whole
    from whorl.checks import KINDS, Finding, looked
    from whorl.checks import check as planned
    from whorl.checks.report import report
    from whorl.effect.places import changed

    def run(effect: Effect) -> list[Finding]:
        return [*planned(effect), *looked(effect, everywhere=everywhere)]

    with told():
        for kind in (*(only or ()), *([mend] if mend else ())):
            if kind not in KINDS:
                raise Refused(f"there is no kind of finding called '{kind}'; there are {', '.join(KINDS)}")
        if (mend is None) != (out is None):
            raise Refused("a mended effect needs both --mend KIND and -o FILE")
        effect: Effect | None = None
        try:
            effect = _read(file)
            found = run(effect)
        except BadEffect as e:
            # A file that cannot be read is bad input; one that reads but does not fit is a finding.
            if any(p.place == "" for p in e.problems):
                raise
            found = [Finding(kind="fault", place=p.place, words=p.words) for p in e.problems]
        if mend and out:
            taken = [f.mends[0] for f in found if f.kind == mend and f.mends]
            if not taken:
                raise Refused(f"nothing of the kind '{mend}' was found that has a mend")
            assert effect is not None
            # Two that change one part are not taken at once: the second would undo the first.
            done: list[str] = []
            for mend_ in taken:
                places = [c.place for c in mend_.changes]
                if not any(p.startswith(d) or d.startswith(p) for p in places for d in done):
                    done += places
                    for change in mend_.changes:
                        effect = changed(effect, change.place, change.value)
            with whole(out) as part:
                part.write_text(effect.model_dump_json(indent=2) + "\n", encoding="utf-8")
            found = run(effect)
        if to and effect is None:
            raise Refused("an effect with faults is not reported on; mend them first")
        if to and effect:
            with whole(to) as part:
                part.write_text(report(effect, found), encoding="utf-8")
        found = [f for f in found if (not only or f.kind in only) and (everywhere or not f.aside)]
        if as_json:
            print(json.dumps([f.model_dump() for f in found], indent=2))
        else:
            for f in found:
                when = f" ({f.when})" if f.when else ""
                print(f"{f.kind}: {f.place}{when}: {f.words}{f'; set aside: {f.aside}' if f.aside else ''}")
            if not found:
                print("nothing found")
        raise typer.Exit(max((f.bad.code for f in found if not f.aside), default=0))


@app.command()
def glsl(file: File, out: Out) -> None:
    """The effect's program as GLSL ES 3.00, with its uniforms in a JSON file."""
    from whorl.bake.options import slug
    from whorl.bake.whole import whole
    from whorl.plan.print.compiled import compiled

    with told():
        plan = _plan(file)
        made = compiled(plan)
        out.mkdir(parents=True, exist_ok=True)
        name = slug(plan.effect.name)
        texts = {".vert": made.pop("vertex"), ".frag": made.pop("fragment"), ".backdrop.frag": made.pop("backdrop")}
        if back := made.pop("back"):
            texts[".back.frag"] = back
        if raised := made.pop("raised"):
            texts |= {".raised.vert": raised["vertex"], ".raised.frag": raised["fragment"]}
        texts[".json"] = json.dumps(made, indent=2) + "\n"
        for ending, text in texts.items():
            with whole(out / f"{name}{ending}") as part:
                part.write_text(text, encoding="utf-8")
            print(out / f"{name}{ending}")


@app.command()
def tidy(
    data: Data = None,
    free: Annotated[bool, typer.Option("--free", help="Take them away, but for those of the last hour.")] = False,
) -> None:
    """What files take that no effect refers to any more; a running Whorl takes them away after a week."""
    from whorl.api.server import data_folder
    from whorl.store.database import open_database
    from whorl.store.room import Room

    with told():
        folder = data or data_folder()
        if not (folder / "whorl.db").exists():
            raise Refused(f"there are no effects in {folder}")
        room = Room(open_database(folder / "whorl.db"), folder)
        found = room.free(older=0.0) if free else room.loose()
        size = sum(x.bytes for x in found)
        print(f"{len(found)} files, {size / 2**20:.1f} MiB, {'are gone' if free else 'that nothing refers to'}")


@app.command()
def catalogue(as_json: Annotated[bool, typer.Option("--json")] = False) -> None:
    """Every kind of bead."""
    from whorl.beads.catalogue import described

    if as_json:
        print(json.dumps(described(), indent=2, ensure_ascii=False))
        return
    for bead in described():
        print(f"{bead['kind']:12} {bead['words']}")


if __name__ == "__main__":
    app()
