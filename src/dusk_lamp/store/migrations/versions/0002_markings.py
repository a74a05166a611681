"""Markings: which region each sample of a sculpt belongs to, one row per stroke, so that strokes can be undone."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Make the table, and let a sculpt point into it."""
    op.create_table(
        "marking",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("surface_key", sa.String(64), nullable=False),
        sa.Column("standing", sa.JSON, nullable=False),
        sa.Column("labels", sa.LargeBinary, nullable=False),
        sa.Column("regions", sa.JSON, nullable=False),
    )
    with op.batch_alter_table("sculpt") as table:
        table.add_column(sa.Column("marking_number", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    """Take it away again."""
    with op.batch_alter_table("sculpt") as table:
        table.drop_column("marking_number")
    op.drop_table("marking")
