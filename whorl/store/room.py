"""Files that nothing refers to any more: kept for a week, then gone."""

import logging
import re
import shutil
import time
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Engine, select

from whorl.store.database import reading
from whorl.store.models import BakeRow, EffectRow, RevisionRow, SpliceRow

LOG = logging.getLogger("whorl.room")
_HASH = re.compile(r'"hash":\s*"([0-9a-f]{64})"')
#: How long what nothing refers to is kept, in seconds; and at the least, since a picture is brought in
#: before the document that names it is saved.
KEPT, FRESH = 7 * 86400.0, 3600.0


@dataclass(frozen=True)
class Loose:
    """A file or folder that nothing refers to: how many bytes it takes, and since when it lies there."""

    path: Path
    bytes: int
    since: float


class Room:
    """The room that a data folder takes."""

    def __init__(self, engine: Engine, folder: Path) -> None:
        self.engine, self.folder = engine, folder

    def loose(self) -> list[Loose]:
        """All that nothing refers to: no revision of any effect, deleted or not, and no bake of one on the shelf."""
        named, bakes = self._referred()
        found: list[Loose] = []
        for path in _inside(self.folder / "assets"):
            if path.name not in named:
                found.append(_measured(path))
        for path in _inside(self.folder / "bakes"):
            if path.name not in bakes:
                found.append(_measured(path))
        return found

    def free(self, older: float = KEPT) -> list[Loose]:
        """Takes away what has lain there for so many seconds; gives what is gone."""
        before, gone = time.time() - max(older, FRESH), []
        for loose in self.loose():
            if loose.since > before:
                continue
            if loose.path.is_dir():
                shutil.rmtree(loose.path, ignore_errors=True)
            else:
                loose.path.unlink(missing_ok=True)
            gone.append(loose)
        if gone:
            LOG.info("%d files that nothing refers to are gone", len(gone))
        return gone

    def _referred(self) -> tuple[set[str], set[str]]:
        """The hashes that documents name, and the ids of the bakes of effects on the shelf."""
        named: set[str] = set()
        with reading(self.engine) as s:
            for table in (RevisionRow, BakeRow, SpliceRow):
                for document in s.scalars(select(table.document).execution_options(yield_per=100)):
                    named.update(_HASH.findall(document))
            on_shelf = select(BakeRow.id).join(EffectRow, EffectRow.id == BakeRow.effect_id)
            bakes = set(s.scalars(on_shelf.where(EffectRow.deleted.is_(None))))
        return named, bakes


def _inside(folder: Path) -> list[Path]:
    return sorted(folder.iterdir()) if folder.is_dir() else []


def _measured(path: Path) -> Loose:
    parts = [p for p in path.rglob("*") if p.is_file()] if path.is_dir() else [path]
    stats = [p.stat() for p in parts]
    return Loose(path, sum(s.st_size for s in stats), max((s.st_mtime for s in stats), default=path.stat().st_mtime))
