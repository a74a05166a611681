"""The rack and the recipes."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Make the tables."""
    op.create_table(
        "paint",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("told", sa.JSON, nullable=False),
        sa.Column("deleted_at", sa.DateTime),
    )
    op.create_table(
        "recipe",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("paints", sa.JSON, nullable=False),
        sa.Column("parts", sa.JSON, nullable=False),
        sa.Column("deleted_at", sa.DateTime),
    )


def downgrade() -> None:
    """Take them away again."""
    op.drop_table("recipe")
    op.drop_table("paint")
