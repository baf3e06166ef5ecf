"""What the shelf shows of an effect stands beside it, so that a list reads no documents."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    with op.batch_alter_table("effects") as table:
        table.add_column(sa.Column("seconds", sa.FLOAT(), nullable=False, server_default="4"))
        table.add_column(sa.Column("fps", sa.Integer(), nullable=False, server_default="24"))
        table.add_column(sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
        table.add_column(sa.Column("shipped", sa.Boolean(), nullable=False, server_default="0"))
        table.add_column(sa.Column("tags", sa.String(), nullable=False, server_default="[]"))
    connection = op.get_bind()
    rows = connection.execute(
        sa.text("SELECT e.id, r.document FROM effects e JOIN revisions r ON r.effect_id = e.id AND r.number = e.head")
    ).all()
    for id, document in rows:
        given = {"id": id, **_shown(document)}
        connection.execute(
            sa.text("UPDATE effects SET seconds = :seconds, fps = :fps, version = :version WHERE id = :id"), given
        )


def _shown(document: str) -> dict[str, Any]:
    """As far as a document can be read, whatever version it is of."""
    try:
        data = json.loads(document)
        turn = data.get("turn") or {}
        seconds, fps, version = turn.get("seconds", 4), turn.get("fps", 24), data.get("version", 1)
        return {"seconds": float(seconds), "fps": int(fps), "version": int(version)}
    except (ValueError, TypeError, AttributeError):
        return {"seconds": 4.0, "fps": 24, "version": 0}


def downgrade() -> None:
    with op.batch_alter_table("effects") as table:
        for name in ("seconds", "fps", "version", "shipped", "tags"):
            table.drop_column(name)
