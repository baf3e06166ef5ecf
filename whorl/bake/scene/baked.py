"""What every scene is made of: the shape, its surface's channels over UV at phases of the turn, and what is lost."""

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from whorl.bake.maps import MapsOptions, Unrolled, gathered, laid_out, phases_of
from whorl.bake.options import MAP_FRAMES, MAP_SIDE
from whorl.bake.scrolls import scrolled
from whorl.effect import Effect
from whorl.effect import camera as cameras
from whorl.effect.described import whole
from whorl.images import srgb
from whorl.plan.graph import FromNode, FromUniform
from whorl.plan.run.evaluate import Evaluation
from whorl.shade.kernel import Floats
from whorl.shapes.mesh import Mesh, overlapping, side_by_side
from whorl.stage.moved import moved


class SceneOptions(BaseModel):
    """How fine a scene's maps are, and at how many phases of the turn its maps and its shape are taken."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)

    size: int = whole(512, "The side of each map.", MAP_SIDE, "pixels", soft=(128, 1024))
    frames: int = whole(16, "At how many phases of the turn it is taken; 1 is a still.", MAP_FRAMES, soft=(1, 36))


@dataclass
class Told:
    """What of an effect a format carries, what it carries nearly, and what is lost."""

    carried: list[str] = field(default_factory=list)
    nearly: list[str] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)

    def text(self, title: str) -> str:
        """A table of it."""
        rows = [(w, "carried", "") for w in self.carried]
        rows += [(w.split(": ", 1)[0], "approximated", w.partition(": ")[2]) for w in self.nearly]
        rows += [(w.split(": ", 1)[0], "lost", w.partition(": ")[2]) for w in self.lost]
        lines = [f"# {title}", "", "| what | | how |", "|---|---|---|"]
        return "\n".join([*lines, *(f"| {a} | {b} | {c} |" for a, b, c in rows)]) + "\n"


def also_told(effect: Effect, out: Told) -> None:
    """What becomes of parts of a mesh that are plain, of a cap, and of a second surface."""
    if effect.stage.has_plain:
        out.lost.append("plain parts of the mesh: they wear the effect as all others do; hand them over by themselves")
    surface = effect.surface
    if any(m.capped and m.composite == "cut away" for m in surface.materials.values()):
        out.lost.append("the cap: a shape that is cut away is open there")
    if surface.second is None:
        return
    out.nearly.append("the second surface: mixed into the channels of the first, one material")
    if (surface.composite, surface.body) != (surface.second.composite, surface.second.body):
        out.lost.append("how the second surface goes with what is behind: as the first does")


@dataclass(frozen=True)
class Format:
    """A format of scenes: the command's word for it, its title, what it is for, and what makes it.

    `write` makes its files in a folder and gives them, and tells as it begins each map; `told` says beforehand what
    becomes of an effect in it.
    """

    key: str
    title: str
    words: str
    write: Callable[[Effect, Path, SceneOptions, Callable[[str], None]], list[Path]]
    told: Callable[[Effect], Told]


def quiet(words: str) -> None:
    """Nobody is told."""


#: Light beyond this is no longer what a screen's white is.
_WHITE = 1.0 + 1e-3


class Baked:
    """An effect's channels over the UV of its shape, as scenes take them. Raises BadEffect, Refused.

    Maps are (rows · size, columns · size, components), linear, row 0 at v = 1, with the frames of the turn in a grid.
    Where parts of the shape share UV, as the faces of a box do, it has others here. Heights are a channel where they
    do not move the shape itself.
    """

    def __init__(
        self,
        effect: Effect,
        options: SceneOptions,
        heights: bool = False,
        tick: Callable[[str], None] = quiet,
    ) -> None:
        self.effect, self.options, self.heights, self.tick = effect, options, heights, tick
        rest, padding = effect.stage.mesh_of(), min(16, options.size // 8)
        self.apart = overlapping(rest)
        self.uvs = side_by_side(rest, 0.04) if self.apart else rest.uvs
        maps = MapsOptions(size=options.size, padding=padding)
        self.over = Unrolled(effect, maps, self.uvs if self.apart else None)
        self.plan, self.surface = self.over.plan, effect.surface

    # --- time -------------------------------------------------------------------------

    @cached_property
    def scroll(self) -> tuple[float, float] | None:
        """How far all channels together go over UV in a turn, where that is all that moves them; None where not."""
        return None if self.apart else scrolled(self.over)

    @cached_property
    def moves(self) -> bool:
        """Whether any channel changes in the course of the turn."""
        return any(map(self._varies, self.plan.outputs))

    def _varies(self, name: str) -> bool:
        given = self.plan.outputs[name]
        if name == "displacement" and not self.heights:
            return False
        if isinstance(given, FromNode):
            work = Evaluation(self.plan, given.node)
            return any(s.moves for s in work.steps)
        return isinstance(given, FromUniform) and given.uniform.track is not None

    @cached_property
    def frames(self) -> int:
        """How many frames lie on each map: one where nothing moves, or where a scroll says all."""
        return self.options.frames if self.moves and self.scroll is None else 1

    @cached_property
    def grid(self) -> tuple[int, int]:
        """Columns and rows of the frames."""
        return laid_out(MapsOptions(size=self.options.size, frames=self.frames))

    @cached_property
    def phases(self) -> list[float]:
        """The phases of the frames."""
        return phases_of(self.effect, self.frames)

    # --- channels ---------------------------------------------------------------------

    def fed(self, name: str) -> bool:
        """Whether a channel is a map."""
        return self.over.fed(name)

    def map(self, name: str) -> Floats:
        """A channel with all its frames."""
        cells = []
        for n, phase in enumerate(self.phases):
            self.tick(f"{name}, {n + 1} of {self.frames}")
            cells.append(self.over.values(name, phase))
        return gathered(cells, *self.grid)

    def number(self, name: str) -> float:
        """A channel of one component that is the same all over."""
        return float(self.over.at_rest(name, 0.0)[0])

    def colour(self, name: str) -> tuple[float, ...]:
        """A channel that is a colour, the same all over."""
        return tuple(float(x) for x in self.over.at_rest(name, 0.0))

    def still(self, place: str) -> float:
        """A number of the surface at the start of the turn."""
        found = next((u for u in self.plan.uniforms if u.place == place), None)
        return float(found.at(0.0)[0]) if found else float(getattr(self.surface, place.rpartition("/")[2]))

    @property
    def farthest(self) -> float:
        """What the displacement channel is multiplied by, at the start of the turn."""
        return float(self.plan.amount.at(0.0)[0]) if self.plan.amount else 0.0

    @property
    def clear(self) -> bool:
        """Whether it is clear matter."""
        return self.surface.clear

    @property
    def lit(self) -> bool:
        """Whether lamps and sky fall on it."""
        return self.surface.lighting == "lit"

    @property
    def covers(self) -> bool:
        """Whether its opacity says how much it hides."""
        return self.surface.composite != "solid" and not self.clear

    @cached_property
    def light(self) -> Floats | None:
        """Its own light, where it has any: emission, with the base colour too where no lamp falls on it."""
        names = ["emission"] if self.lit else [n for n in ("base", "emission") if self.fed(n)]
        given = [self.map(n) for n in names if self.fed(n)]
        return np.maximum(sum(given[1:], given[0]), 0.0).astype(np.float32) if given else None

    @cached_property
    def brightest(self) -> float:
        """How bright its own light is, at the most."""
        return 0.0 if self.light is None else float(self.light.max())

    @property
    def unlit(self) -> bool:
        """Whether a picture that no lamp falls on holds all of its light."""
        return not self.lit and self.brightest <= _WHITE and self.surface.composite != "glowing"

    def alpha(self) -> Floats | float | None:
        """How much it hides: a map, one number, or None where it hides all."""
        if not self.covers:
            return None
        opacity = self.map("opacity") if self.fed("opacity") else self.number("opacity")
        if self.surface.composite == "glowing" and self.light is not None:
            # What only adds light is nearest to what hides by how bright it is.
            return np.asarray(np.clip(self.light.max(axis=2, keepdims=True) * opacity, 0.0, 1.0), np.float32)
        return opacity

    # --- the shape --------------------------------------------------------------------

    @cached_property
    def mesh(self) -> Mesh:
        """The shape on the stage: at rest where nothing displaces it, and else at phase 0."""
        return self.mesh_at(0.0)

    def mesh_at(self, phase: float) -> Mesh:
        """The shape on the stage at a phase."""
        view = cameras.numbers(self.effect.stage, 512, 512)
        return moved(self.plan, self.effect.stage.mesh_of(), view, phase)

    @cached_property
    def shape_moves(self) -> bool:
        """Whether displacement changes in the course of the turn."""
        if self.plan.raised is None:
            return False
        work = Evaluation(self.plan, self.plan.raised)
        return any(s.moves for s in work.steps) or not np.allclose(
            self.mesh_at(0.0).positions, self.mesh_at(0.37).positions, atol=1e-6
        )

    def tangents(self, mesh: Mesh) -> NDArray[np.float32]:
        """(n, 4): unit tangents along the shape's own u, and 1 or −1 by which side v is on, as glTF 2.0 has them
        (section 3.7.2.1)."""
        rest = self.effect.stage.mesh_of()
        normals = mesh.normals.astype(np.float64)
        u, v = rest.gradients[0].astype(np.float64), rest.gradients[1].astype(np.float64)
        along = u - normals * (u * normals).sum(1, keepdims=True)
        length = np.linalg.norm(along, axis=1, keepdims=True)
        # Where UV stand still, at a pole, any way square to the normal will do.
        other = np.cross(normals, np.where(np.abs(normals[:, :1]) < 0.9, [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]))
        other /= np.maximum(np.linalg.norm(other, axis=1, keepdims=True), 1e-12)
        along = np.where(length > 1e-9, along / np.maximum(length, 1e-12), other)
        side = np.where((np.cross(normals, along) * v).sum(1) < 0, -1.0, 1.0)
        return np.column_stack([along, side]).astype(np.float32)


def encoded(values: Floats) -> NDArray[np.uint8]:
    """Linear light of 0..1 as sRGB bytes."""
    return np.round(srgb.encoded(np.clip(values, 0.0, 1.0)) * 255).astype(np.uint8)


def measured(values: Floats) -> NDArray[np.uint8]:
    """Measures of 0..1 as bytes."""
    return np.round(np.clip(values, 0.0, 1.0) * 255).astype(np.uint8)
