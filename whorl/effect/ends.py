"""What runs along each strand of a document, and what comes out of it."""

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Signal
from whorl.effect.document import Effect
from whorl.effect.value import Feed

#: Which strand, and which bead of it; None is its end.
End = tuple[str, str | None]


def ends(effect: Effect) -> dict[End, Signal]:
    """What each bead gives, and each strand at its end; what is unknown or broken is left out."""
    out: dict[End, Signal] = {}
    for strand in effect.strands:
        below: Signal | None = None
        for bead in strand.beads:
            spec = CATALOGUE.get(bead.kind)
            if spec is None:
                below = None
                break
            fed = bead.params.get(spec.brings.name) if spec.brings else None
            brought = out.get((fed.strand, fed.bead)) if isinstance(fed, Feed) else None
            if spec.goes_on:
                below = brought
            elif not (bead.muted and below):
                incoming = [s for s in (below, brought) if s is not None]
                settings = {s.name: bead.settings.get(s.name, s.default) for s in spec.settings}
                below = spec.result(settings, incoming)
            if below is None:
                break
            out[strand.id, bead.id] = below
        if below is not None:
            out[strand.id, None] = below
    return out
