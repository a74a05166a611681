"""Several schemes of a sculpt; the eyes of a face."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    """Add their table; a sculpt has none until the first is copied."""
    op.create_table(
        "kept_scheme",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("coats", sa.JSON, nullable=False),
        sa.Column("choice", sa.JSON, nullable=False),
        sa.Column("regions", sa.JSON, nullable=False),
        sa.Column("tints", sa.JSON, nullable=False),
    )
    op.add_column("sculpt", sa.Column("kept_scheme", sa.Integer, nullable=False, server_default="0"))
    op.add_column("sculpt", sa.Column("face", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take them away."""
    op.drop_column("sculpt", "face")
    op.drop_column("sculpt", "kept_scheme")
    op.drop_table("kept_scheme")
