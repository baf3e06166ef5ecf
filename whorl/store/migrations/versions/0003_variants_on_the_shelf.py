"""The variants of an effect stand beside it, so that the shelf shows them."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    with op.batch_alter_table("effects") as table:
        table.add_column(sa.Column("variants", sa.String(), nullable=False, server_default="[]"))
    connection = op.get_bind()
    rows = connection.execute(
        sa.text("SELECT e.id, r.document FROM effects e JOIN revisions r ON r.effect_id = e.id AND r.number = e.head")
    ).all()
    for id, document in rows:
        given = {"id": id, "variants": _shown(document)}
        connection.execute(sa.text("UPDATE effects SET variants = :variants WHERE id = :id"), given)


def _shown(document: str) -> str:
    """As far as a document can be read, whatever version it is of."""
    try:
        found = [[str(v["id"]), str(v["name"])] for v in json.loads(document).get("variants", [])]
        return json.dumps(found, ensure_ascii=False)
    except (ValueError, TypeError, AttributeError, KeyError):
        return "[]"


def downgrade() -> None:
    with op.batch_alter_table("effects") as table:
        table.drop_column("variants")
