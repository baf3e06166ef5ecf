"""Maps of gloss on roughness, and the other way round."""

import re
from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.effect.surface import Entry

#: How files of either sort are called.
_SHINY = re.compile(r"gloss|smooth|shin", re.IGNORECASE)
_ROUGH = re.compile(r"rough|_rgh|matte", re.IGNORECASE)


def look(looks: Looks) -> Iterator[Finding]:
    """Pictures on the roughness channel whose name says the opposite of how they are taken."""
    for part, material in looks.effect.surface.materials.items():
        gloss = material.gloss
        for k, entry in enumerate(material.channels.roughness):
            for name, inverted in _pictures(looks, entry):
                shiny, rough = bool(_SHINY.search(name)), bool(_ROUGH.search(name))
                if shiny == rough:
                    continue
                if shiny == (gloss ^ inverted):
                    continue
                said, taken = ("gloss", "roughness") if shiny else ("roughness", "gloss")
                yield Finding(
                    kind="gloss given as roughness",
                    place=f"{part}/roughness/{k}",
                    words=f"{name} is a map of {said} by its name, and is taken as {taken}: what should shine is dull",
                    mends=[Mend.of("turn it round", (f"{part}/gloss", not gloss))],
                    evidence=at(looks.phases[0]),
                )


def _pictures(looks: Looks, entry: Entry) -> Iterator[tuple[str, bool]]:
    """Pictures that a channel's strand shows: the file's name, and whether it is turned round on its way."""
    strand = next((s for s in looks.effect.strands if s.id == entry.strand), None)
    names = {a.id: a.name for a in looks.effect.assets}
    if strand is None:
        return
    ids = [b.id for b in strand.beads]
    upto = strand.beads[: ids.index(entry.bead) + 1] if entry.bead in ids else strand.beads
    for i, bead in enumerate(upto):
        name = names.get(str(bead.settings.get("picture", "")))
        if name:
            turned = sum(b.kind == "invert" and not b.muted for b in upto[i:]) % 2 == 1
            yield name, turned
