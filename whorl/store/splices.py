"""Splices that were kept, beside those that ship with Whorl."""

import re
import uuid
from dataclasses import dataclass

from sqlalchemy import Engine, select

from whorl import splices as shipped
from whorl.effect.splices import Splice, digest, read_splice, write_splice
from whorl.refused import Refused
from whorl.store.database import reading, writing
from whorl.store.effects import Missing
from whorl.store.models import SpliceRow, now

#: Splices of one data folder.
MOST_SPLICES = 500


@dataclass(frozen=True)
class KeptSplice:
    """A splice as it stands: its state, and whether it ships with Whorl."""

    id: str
    splice: Splice
    digest: str
    shipped: bool


class Splices:
    """All splices. Each call is one transaction."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def listed(self) -> list[KeptSplice]:
        """Own ones, the newest first, then those that ship."""
        with reading(self.engine) as s:
            rows = s.scalars(
                select(SpliceRow)
                .where(SpliceRow.deleted.is_(None))
                .order_by(SpliceRow.created.desc(), SpliceRow.id)
                .limit(MOST_SPLICES)
            )
            own = [_kept(row.id, read_splice(row.document)) for row in rows]
        return own + [_kept(slug, shipped.splice(slug), True) for slug in shipped.slugs()]

    def get(self, id: str) -> KeptSplice:
        """One of them. Raises Missing."""
        if id in shipped.slugs():
            return _kept(id, shipped.splice(id), True)
        with reading(self.engine) as s:
            row = s.get(SpliceRow, id)
            if row is None or row.deleted is not None:
                raise Missing
            return _kept(id, read_splice(row.document))

    def keep(self, splice: Splice, id: str | None = None) -> KeptSplice:
        """Keeps a splice: as a new one, or in the place of one that is there. Raises Missing, Refused."""
        if id in shipped.slugs():
            raise Refused("what ships with Whorl stays as it is; keep it as a splice of your own")
        with writing(self.engine) as s:
            if id is not None:
                row = s.get(SpliceRow, id)
                if row is None or row.deleted is not None:
                    raise Missing
                row.name, row.document, row.changed = splice.name, write_splice(splice), now()
                return _kept(id, splice)
            base = re.sub(r"[^a-z0-9]+", "-", splice.name.lower()).strip("-")[:40] or "splice"
            free = base not in shipped.slugs() and s.get(SpliceRow, base) is None
            id = base if free else f"{base}-{uuid.uuid4().hex[:6]}"
            s.add(SpliceRow(id=id, name=splice.name, document=write_splice(splice)))
            return _kept(id, splice)

    def delete(self, id: str, deleted: bool = True) -> KeptSplice:
        """Takes one away, or puts it back; nothing is erased, and copies in effects stay. Raises Missing, Refused."""
        if id in shipped.slugs():
            raise Refused("what ships with Whorl stays")
        with writing(self.engine) as s:
            row = s.get(SpliceRow, id)
            if row is None:
                raise Missing
            row.deleted = now() if deleted else None
            return _kept(id, read_splice(row.document))


def _kept(id: str, splice: Splice, shipped: bool = False) -> KeptSplice:
    return KeptSplice(id, splice, digest(splice), shipped)
