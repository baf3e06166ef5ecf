"""SQLite as Whorl uses it: write-ahead log, foreign keys, migrations at start."""

from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

#: How long a write waits for another to end, in seconds.
PATIENCE = 5.0


class Busy(Exception):
    """The database cannot be written just now; says why. What was asked may be asked again."""


def open_database(path: Path) -> Engine:
    """An engine on a database file that is there and up to date."""
    path.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": PATIENCE})

    @event.listens_for(engine, "connect")
    def _settle(connection: Any, _: Any) -> None:
        # Transactions are begun by hand below: the driver would not begin one before a read.
        connection.isolation_level = None
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA foreign_keys=ON")
        # A save that was acknowledged outlives a power cut.
        connection.execute("PRAGMA synchronous=FULL")

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        # Two writers that both have read must not both think that they come next; readers wait for nobody.
        writes = connection.get_execution_options().get("writes")
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    config = Config()
    config.set_main_option("script_location", str(files("whorl.store") / "migrations"))
    with engine.execution_options(writes=True).begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    return engine


@contextmanager
def reading(engine: Engine) -> Iterator[Session]:
    """A session that only reads, and holds up nobody. Raises Busy."""
    with _told(), Session(engine) as session:
        yield session


@contextmanager
def writing(engine: Engine) -> Iterator[Session]:
    """A session in one transaction that writes. Raises Busy where it cannot, and has changed nothing then."""
    with _told(), Session(engine.execution_options(writes=True)) as session, session.begin():
        yield session


@contextmanager
def _told() -> Iterator[None]:
    try:
        yield
    except OperationalError as e:
        said = str(e.orig)
        if "full" in said:
            raise Busy("the disk is full; nothing was changed") from e
        if "locked" in said or "busy" in said:
            raise Busy("the database is busy; try again") from e
        if "readonly" in said or "disk I/O" in said or "unable to open" in said:
            raise Busy(f"the database cannot be written ({said}); nothing was changed") from e
        raise
