"""SQLite as Whorl uses it: write-ahead log, foreign keys, migrations at start."""

from importlib.resources import files
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event


def open_database(path: Path) -> Engine:
    """An engine on a database file that is there and up to date."""
    path.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{path}", connect_args={"timeout": 15})

    @event.listens_for(engine, "connect")
    def _settle(connection: Any, _: Any) -> None:
        # Transactions are begun by hand below: the driver would not begin one before a read.
        connection.isolation_level = None
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA synchronous=NORMAL")

    @event.listens_for(engine, "begin")
    def _begin(connection: Any) -> None:
        # Two writers that both have read must not both think that they come next.
        connection.exec_driver_sql("BEGIN IMMEDIATE")

    config = Config()
    config.set_main_option("script_location", str(files("whorl.store") / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
    return engine
