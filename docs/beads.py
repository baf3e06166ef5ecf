"""The pages of the catalogue, made from it: `./run docs` writes docs/beads and the finder's pictures."""

import json
from pathlib import Path

import numpy as np

from whorl.bake.png import save_png
from whorl.beads.catalogue import CATALOGUE, described
from whorl.beads.spec import COORDS
from whorl.effect import Effect
from whorl.effect.sampler import sampler
from whorl.plan.build import build
from whorl.shade.kernel import Floats
from whorl.stage import flat
from whorl.stage.frame import picture, shown

ROOT = Path(__file__).parents[1]
PICTURES = ROOT / "web" / "public" / "beads"
PAGES = ROOT / "docs" / "beads"
SIZE = 112
#: What depends on where a surface faces is shown on a ball.
ROUND = ("object", "world", "box", "normal", "reflected", "fresnel", "far-side", "camera-distance")


def picture_of(kind: str) -> Floats:
    """A kind at its defaults behind what shows it best: (4, SIZE, SIZE), 0..1."""
    effect = sampler([kind])
    if kind in ROUND:
        camera = effect.stage.camera.model_copy(update={"yaw": 25, "pitch": 20, "view": 29.2, "distance": 4})
        stage = effect.stage.model_copy(update={"shape": "ball", "camera": camera})
        plan = build(effect.model_copy(update={"stage": stage}))
        return picture(plan, 0.3, SIZE, SIZE, peek=plan.beads[f"kind-{kind}/shown"])
    plan = build(effect)
    made = shown(plan, plan.beads[f"kind-{kind}/shown"], flat.points(SIZE, SIZE), 0.3)
    rows = [flat.unquad(a, SIZE, SIZE) for a in made]
    return np.stack([*rows, np.ones_like(rows[0])])


def page(group: str) -> str:
    """The page of one group of kinds, as Markdown."""
    lines = [f"# {group.capitalize()}", "", "Made from the catalogue by `./run docs`.", ""]
    for kind in (d for d in described() if d["group"] == group):
        spec = CATALOGUE[kind["kind"]]
        takes = " or ".join(map(_signal, kind["takes"])) or "nothing: it starts a strand"
        lines += [f"## {kind['title']}", "", f"![](../../web/public/beads/{kind['kind']}.png)", "", kind["words"], ""]
        lines += [f"Kind `{kind['kind']}`. Takes {takes}; gives {_signal(kind['gives'])}."]
        if kind["formula"]:
            lines.append(f"{kind['formula']}.")
        if spec.period is not None and COORDS in spec.takes:
            lines.append(f"Period: {' '.join((spec.period.__doc__ or '').split())}")
        if kind["source"]:
            lines.append(f"Source: {kind['source']}.")
        lines.append("")
        params = ([kind["brings"]] if kind["brings"] else []) + kind["params"]
        if params:
            lines += ["| param | unit | default | slider | accepted | what it does |", "|---|---|---|---|---|---|"]
            lines += [_param(p) for p in params] + [""]
        if kind["settings"]:
            lines += ["| setting | choices | default | what it does |", "|---|---|---|---|"]
            lines += [_setting(s) for s in kind["settings"]] + [""]
    return "\n".join(lines).rstrip() + "\n"


def _signal(name: str) -> str:
    return {"coords": "coordinates", "as it is given": "what its settings or what comes in say"}.get(name, f"a {name}")


def _param(p: dict) -> str:
    plain = p["type"] not in ("stops", "curve", "direction")
    default = p["default"] if plain else "—"
    numbers = ", ".join(f"{x:g}" for x in ([default] if isinstance(default, float) else default)) if plain else "—"
    slider, hard = (f"{p[k][0]:g} … {p[k][1]:g}" if plain else "—" for k in ("soft", "hard"))
    fed = " Takes a strand." if p["feed"] else ""
    return f"| {p['label']} | {p['unit']} | {numbers} | {slider} | {hard} | {p['words']}{fed} |"


def _setting(s: dict) -> str:
    choices = ", ".join(s["options"]) or ("yes, no" if s["kind"] == "switch" else f"{s['low']} to {s['high']}")
    default = {True: "yes", False: "no"}.get(s["default"], s["default"]) if s["kind"] == "switch" else s["default"]
    return f"| {s['label']} | {choices} | {default} | {s['words']} |"


def groups() -> list[str]:
    """The groups of the catalogue, in its order."""
    return list(dict.fromkeys(b.group for b in CATALOGUE.values()))


def index() -> str:
    """The page that leads to the others."""
    lines = ["# Beads", "", "Every kind there is. Made from the catalogue by `./run docs`.", ""]
    for group in groups():
        kinds = ", ".join(b.title or b.kind for b in CATALOGUE.values() if b.group == group)
        lines.append(f"- [{group.capitalize()}]({group}.md): {kinds}")
    return "\n".join(lines) + "\n"


def main() -> None:
    """Writes every page and picture, and the schema of a document."""
    schema = json.dumps(Effect.model_json_schema(), indent=2, ensure_ascii=False)
    (PAGES.parent / "effect.schema.json").write_text(schema + "\n", encoding="utf-8")
    PAGES.mkdir(exist_ok=True)
    PICTURES.mkdir(parents=True, exist_ok=True)
    (PAGES / "README.md").write_text(index(), encoding="utf-8")
    for group in groups():
        (PAGES / f"{group}.md").write_text(page(group), encoding="utf-8")
    for kind in CATALOGUE:
        save_png(picture_of(kind), PICTURES / f"{kind}.png", False)
    for old in PICTURES.glob("*.png"):
        if old.stem not in CATALOGUE:
            old.unlink()


if __name__ == "__main__":
    main()
