"""The shelf: sculpts and jobs."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the first two tables."""
    op.create_table(
        "sculpt",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("file_name", sa.String(255), nullable=False),
        sa.Column("file_format", sa.String(8), nullable=False),
        sa.Column("file_sha", sa.String(64), nullable=False, index=True),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("deleted_at", sa.DateTime),
        sa.Column("up", sa.String(2)),
        sa.Column("front", sa.String(2)),
        sa.Column("height_mm", sa.Float),
        sa.Column("file_tall", sa.Float),
        sa.Column("findings", sa.JSON),
        sa.Column("notes", sa.JSON, nullable=False),
        sa.Column("mended_key", sa.String(64)),
        sa.Column("surface_key", sa.String(64)),
        sa.Column("sky_key", sa.String(64)),
        sa.Column("thumb_key", sa.String(64)),
        sa.Column("rig", sa.JSON, nullable=False),
        sa.Column("ladder", sa.JSON, nullable=False),
        sa.Column("exposure", sa.JSON, nullable=False),
        sa.Column("stages_done", sa.JSON, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
    )
    op.create_table(
        "job",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("state", sa.String(8), nullable=False),
        sa.Column("step", sa.String(80), nullable=False),
        sa.Column("share", sa.Float, nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("attempts", sa.Integer, nullable=False),
        sa.Column("stop_asked", sa.Boolean, nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )


def downgrade() -> None:
    """Take them away again."""
    op.drop_table("job")
    op.drop_table("sculpt")
