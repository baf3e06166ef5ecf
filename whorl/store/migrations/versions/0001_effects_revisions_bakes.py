"""Effects with their revisions, and bakes."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "effects",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("head", sa.Integer(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("changed", sa.DateTime(), nullable=False),
        sa.Column("deleted", sa.DateTime(), nullable=True),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("effect_id", sa.String(), sa.ForeignKey("effects.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("document", sa.String(), nullable=False),
        sa.Column("saved", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("effect_id", "number"),
    )
    op.create_index("ix_revisions_effect_id", "revisions", ["effect_id"])
    op.create_table(
        "bakes",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("effect_id", sa.String(), sa.ForeignKey("effects.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("document", sa.String(), nullable=False),
        sa.Column("options", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_bakes_effect_id", "bakes", ["effect_id"])


def downgrade() -> None:
    for table in ("bakes", "revisions", "effects"):
        op.drop_table(table)
