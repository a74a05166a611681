"""The log of what was painted, squads, drills, and when somebody paints."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    """Add the tables, and a painter's habits."""
    op.create_table(
        "log_entry",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, nullable=False, server_default="1", index=True),
        sa.Column("sculpt_id", sa.Integer, nullable=True, index=True),
        sa.Column("coat_key", sa.String(64), nullable=False, server_default=""),
        sa.Column("at", sa.DateTime, nullable=False, index=True),
        sa.Column("entry", sa.JSON, nullable=False),
        sa.Column("words", sa.Text, nullable=False, server_default=""),
    )
    op.create_table(
        "squad",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, nullable=False, server_default="1", index=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column(
            "scheme_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("members", sa.JSON, nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "drill_card",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, nullable=False, server_default="1", index=True),
        sa.Column("name", sa.String(40), nullable=False),
        sa.Column("card", sa.JSON, nullable=False),
        sa.Column("answers", sa.Integer, nullable=False, server_default="0"),
        sa.Column("good", sa.Float, nullable=False, server_default="0"),
        sa.UniqueConstraint("user_id", "name", name="one_card_of_a_drill"),
    )
    op.add_column("painter", sa.Column("habits", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take them away."""
    op.drop_column("painter", "habits")
    op.drop_table("drill_card")
    op.drop_table("squad")
    op.drop_table("log_entry")
