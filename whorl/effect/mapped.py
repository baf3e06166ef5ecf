"""A set of maps put into an effect: strands that share their coordinates, wired to the channels they are for."""

from pydantic import BaseModel, Field

from whorl.effect.document import Asset, Effect
from whorl.effect.strands import Bead, Strand
from whorl.effect.surface import Entry
from whorl.effect.value import Feed
from whorl.images.maps import Use

#: Pictures of one set.
MOST_MAPS = 16
_TITLES: dict[Use, str] = {
    "base": "Base colour",
    "normal": "Normals",
    "roughness": "Roughness",
    "gloss": "Gloss",
    "metallic": "Metallic",
    "occlusion": "Occlusion",
    "height": "Height",
    "opacity": "Opacity",
    "emission": "Emission",
}


class MapGiven(BaseModel):
    """A picture of a set, and what it is for."""

    name: str = Field(min_length=1, max_length=120)
    hash: str = Field(pattern=r"^[0-9a-f]{64}$")
    width: int = Field(ge=1, le=8192)
    height: int = Field(ge=1, le=8192)
    use: Use
    flip_green: bool = False


def with_maps(effect: Effect, maps: list[MapGiven]) -> Effect:
    """The effect with a set of maps: one strand of coordinates, a strand a map, and their entries.

    A height bends the normal where there is no map of normals, and else moves the surface. What a gloss says is turned
    round by the surface. Maps for nothing are brought in and not wired.
    """
    taken = {s.id for s in effect.strands}

    def fresh(wanted: str) -> str:
        n, name = 1, wanted
        while name in taken:
            n += 1
            name = f"{wanted}-{n}"
        taken.add(name)
        return name

    assets = list(effect.assets)

    def asset_of(given: MapGiven) -> str:
        there = next((a for a in assets if a.hash == given.hash), None)
        if there:
            return there.id
        base = "".join(c if c.isalnum() and c.isascii() else "-" for c in given.name.rsplit(".", 1)[0].lower())
        stem = base.strip("-")[:32] or "map"
        id = next(i for k in range(1, 99) if (i := stem if k == 1 else f"{stem}-{k}") not in {a.id for a in assets})
        assets.append(Asset(id=id, name=given.name, hash=given.hash, width=given.width, height=given.height))
        return id

    used = [g for g in maps if g.use != "nothing"]
    for given in maps:
        asset_of(given)
    if not used:
        return effect.model_copy(update={"assets": tuple(assets)})
    at = fresh("maps")
    strands = [
        Strand(
            id=at,
            name="Maps",
            beads=(Bead(id="uv", kind="uv"), Bead(id="tile", kind="tile", params={"count": (1.0, 1.0, 1.0)})),
        )
    ]
    entries: dict[str, list[Entry]] = {}
    bends = not any(g.use == "normal" for g in used)
    surface = effect.surface
    change: dict[str, object] = {}
    for given in used:
        id = fresh(f"map-{given.use}")
        begins = Bead(id="at", kind="tap", params={"from": Feed(strand=at)})
        strands.append(Strand(id=id, name=_TITLES[given.use], beads=(begins, *_beads(given, asset_of(given), bends))))
        channel = {"gloss": "roughness", "height": "normal" if bends else "displacement"}.get(given.use, given.use)
        entries.setdefault(channel, []).append(Entry(strand=id))
        if given.use == "gloss":
            change["gloss"] = True
        if channel in ("roughness", "metallic", "normal", "occlusion"):
            change["lighting"] = "lit"
        if channel == "displacement":
            change["displacement"] = 0.05
        if channel == "opacity" and surface.composite == "solid":
            change["composite"] = "see-through"
    channels = surface.channels.model_copy(
        update={name: (*getattr(surface.channels, name), *more)[-8:] for name, more in entries.items()}
    )
    made = surface.model_copy(update={**change, "channels": channels})
    return effect.model_copy(update={"assets": tuple(assets), "strands": (*effect.strands, *strands), "surface": made})


def _beads(given: MapGiven, asset: str, bends: bool) -> tuple[Bead, ...]:
    if given.use == "normal":
        return (Bead(id="map", kind="image-normal", settings={"picture": asset, "flip_green": given.flip_green}),)
    take = "colour" if given.use in ("base", "emission") else "red"
    image = Bead(id="map", kind="image", settings={"picture": asset, "take": take})
    if given.use == "height" and bends:
        return image, Bead(id="bump", kind="bump", params={"strength": 0.02})
    return (image,)
