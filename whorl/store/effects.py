"""Effects on the shelf, with every saved revision."""

import json
import re
import uuid
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import Engine, func, select
from sqlalchemy.orm import Session

from whorl.effect import Effect, read_text, write_text
from whorl.effect.read import VERSION, unknown_version
from whorl.store.database import reading, writing
from whorl.store.models import EffectRow, RevisionRow, now


class Missing(Exception):
    """There is no such effect, revision or bake."""


@dataclass
class Stale(Exception):
    """Somebody saved in between; `head` is the newest revision."""

    head: int


@dataclass(frozen=True)
class Kept:
    """An effect as it stands in the store."""

    id: str
    revision: int
    changed: datetime
    effect: Effect
    deleted: bool = False


@dataclass(frozen=True)
class ListedVariant:
    """A variant as the shelf lists it."""

    id: str
    name: str


@dataclass(frozen=True)
class Listed:
    """An effect as the shelf lists it; `words` say why it cannot be opened, where it cannot."""

    id: str
    name: str
    revision: int
    created: datetime
    changed: datetime
    seconds: float
    fps: int
    tags: list[str]
    shipped: bool
    words: str
    variants: list[ListedVariant]


class Effects:
    """All effects. Each call is one transaction."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def listed(self) -> list[Listed]:
        """What is on the shelf, the oldest first; reads no document."""
        with reading(self.engine) as s:
            rows = s.scalars(
                select(EffectRow).where(EffectRow.deleted.is_(None)).order_by(EffectRow.created, EffectRow.id)
            )
            return [_listed(row) for row in rows]

    def tag(self, id: str, tags: list[str]) -> Listed:
        """Gives an effect these words to be found by. Raises Missing."""
        with writing(self.engine) as s:
            row = s.get(EffectRow, id)
            if row is None or row.deleted is not None:
                raise Missing
            row.tags = json.dumps(tags, ensure_ascii=False)
            return _listed(row)

    def count(self) -> int:
        """How many effects there ever were."""
        with reading(self.engine) as s:
            return s.scalar(select(func.count()).select_from(EffectRow)) or 0

    def get(self, id: str, revision: int | None = None) -> Kept:
        """One effect, at a revision or its newest. Raises Missing."""
        with reading(self.engine) as s:
            row = s.get(EffectRow, id)
            if row is None:
                raise Missing
            return _kept(row, self._revision(s, id, row.head if revision is None else revision))

    def add(self, effect: Effect, shipped: bool = False) -> Kept:
        """A new effect; its id comes from its name. `shipped` are those that come with Whorl."""
        with writing(self.engine) as s:
            base = re.sub(r"[^a-z0-9]+", "-", effect.name.lower()).strip("-")[:40] or "effect"
            id = base if s.get(EffectRow, base) is None else f"{base}-{uuid.uuid4().hex[:6]}"
            moment = now()
            row = EffectRow(id=id, head=1, created=moment, shipped=shipped, tags="[]")
            _show(row, effect, moment)
            revision = RevisionRow(effect_id=id, number=1, document=write_text(effect))
            s.add(row)
            s.flush()
            s.add(revision)
            s.flush()
            return _kept(row, revision)

    def save(self, id: str, effect: Effect, base: int) -> Kept:
        """A new revision upon revision `base`. Raises Missing, and Stale if `base` is not the newest."""
        with writing(self.engine) as s:
            row = s.get(EffectRow, id)
            if row is None or row.deleted is not None:
                raise Missing
            if row.head != base:
                raise Stale(row.head)
            revision = RevisionRow(effect_id=id, number=base + 1, document=write_text(effect))
            row.head = base + 1
            _show(row, effect, now())
            s.add(revision)
            s.flush()
            return _kept(row, revision)

    def revisions(self, id: str, most: int | None = None) -> list[tuple[int, datetime]]:
        """Numbers and moments of all revisions, or of so many, the newest first. Raises Missing."""
        with reading(self.engine) as s:
            rows = s.execute(
                select(RevisionRow.number, RevisionRow.saved)
                .where(RevisionRow.effect_id == id)
                .order_by(RevisionRow.number.desc())
                .limit(most)
            ).all()
            if not rows:
                raise Missing
            return [(n, saved) for n, saved in rows]

    def delete(self, id: str, deleted: bool = True) -> Kept:
        """Takes an effect off the shelf, or puts it back; nothing is erased. Raises Missing."""
        with writing(self.engine) as s:
            row = s.get(EffectRow, id)
            if row is None:
                raise Missing
            row.deleted = now() if deleted else None
            return _kept(row, self._revision(s, id, row.head))

    @staticmethod
    def _revision(s: Session, id: str, number: int) -> RevisionRow:
        found = s.scalar(select(RevisionRow).where(RevisionRow.effect_id == id, RevisionRow.number == number))
        if found is None:
            raise Missing
        return found


def _show(row: EffectRow, effect: Effect, moment: datetime) -> None:
    """What a list shows of an effect."""
    row.name, row.changed, row.version = effect.name, moment, effect.version
    row.seconds, row.fps = effect.turn.seconds, effect.turn.fps
    row.variants = json.dumps([[v.id, v.name] for v in effect.variants], ensure_ascii=False)


def _listed(row: EffectRow) -> Listed:
    words = "" if row.version == VERSION else unknown_version(row.version)
    given = (row.id, row.name, row.head, row.created, row.changed, row.seconds, row.fps, json.loads(row.tags))
    variants = [ListedVariant(id, name) for id, name in json.loads(row.variants)]
    return Listed(*given, shipped=row.shipped, words=words, variants=variants)


def _kept(row: EffectRow, revision: RevisionRow) -> Kept:
    return Kept(row.id, revision.number, row.changed, read_text(revision.document), row.deleted is not None)
