"""The tables."""

from datetime import UTC, datetime

from sqlalchemy import Float, ForeignKey, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column


def now() -> datetime:
    """The present moment, in UTC without a zone, as SQLite keeps it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """All tables."""


class EffectRow(Base):
    """One effect on the shelf; `head` is the number of its newest revision.

    What a list shows stands here and not only in the document. `version` is the document's, `tags` a
    list of words as JSON, and `shipped` says that it came with Whorl.
    """

    __tablename__ = "effects"

    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    head: Mapped[int]
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    deleted: Mapped[datetime | None]
    seconds: Mapped[float] = mapped_column(Float, server_default="4")
    fps: Mapped[int] = mapped_column(server_default="24")
    version: Mapped[int] = mapped_column(server_default="1")
    shipped: Mapped[bool] = mapped_column(server_default="0")
    tags: Mapped[str] = mapped_column(server_default="[]")
    variants: Mapped[str] = mapped_column(server_default="[]")


class RevisionRow(Base):
    """One saved state of an effect. Revisions are only ever added."""

    __tablename__ = "revisions"
    __table_args__ = (UniqueConstraint("effect_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    effect_id: Mapped[str] = mapped_column(ForeignKey("effects.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    document: Mapped[str]
    saved: Mapped[datetime] = mapped_column(default=now)


class SpliceRow(Base):
    """A splice that was kept; those that ship with Whorl are no rows."""

    __tablename__ = "splices"

    id: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    document: Mapped[str]
    created: Mapped[datetime] = mapped_column(default=now)
    changed: Mapped[datetime] = mapped_column(default=now)
    deleted: Mapped[datetime | None]


class BakeRow(Base):
    """One bake, waiting, running or ended."""

    __tablename__ = "bakes"

    id: Mapped[str] = mapped_column(primary_key=True)
    effect_id: Mapped[str] = mapped_column(ForeignKey("effects.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    document: Mapped[str]
    options: Mapped[str]
    state: Mapped[str]
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    words: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)
