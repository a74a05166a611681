"""What a painter owns, how far a model is painted, how many models a plan is for, and the key a school aims at."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Make the tables and the columns."""
    op.create_table(
        "painter",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("tools", sa.JSON, nullable=False),
        sa.Column("cautioned", sa.JSON, nullable=False),
    )

    op.create_table(
        "sitting",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, unique=True
        ),
        sa.Column("place", sa.String(64), nullable=False),
        sa.Column("timer", sa.JSON, nullable=False),
    )
    op.create_table(
        "done",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("coat_key", sa.String(64), nullable=False),
        sa.Column("how", sa.String(8), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("seconds", sa.Float),
        sa.UniqueConstraint("sculpt_id", "coat_key", name="one_end_of_a_step"),
    )
    op.add_column("sculpt", sa.Column("models", sa.Integer, nullable=False, server_default="1"))
    op.add_column("scheme", sa.Column("darkest", sa.Float))
    op.add_column("scheme", sa.Column("lightest", sa.Float))


def downgrade() -> None:
    """Take them away."""
    for column in ("lightest", "darkest"):
        op.drop_column("scheme", column)
    op.drop_column("sculpt", "models")
    for table in ("done", "sitting", "painter"):
        op.drop_table(table)
