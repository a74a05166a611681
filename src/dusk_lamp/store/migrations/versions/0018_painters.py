"""Painters with names, invitations, logins, what is shared, whose a photo is, and how long jobs take."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    """Add the tables and the columns; photos that the log names are their painters'."""
    op.add_column("painter", sa.Column("name", sa.String(60), nullable=False, server_default=""))
    op.add_column("painter", sa.Column("passphrase", sa.String(200), nullable=False, server_default=""))
    op.add_column("painter", sa.Column("looks_after", sa.Boolean, nullable=False, server_default=sa.false()))
    op.add_column("painter", sa.Column("seen_at", sa.DateTime))
    op.add_column("job", sa.Column("begun_at", sa.DateTime))
    op.add_column("job", sa.Column("seconds", sa.Float, nullable=False, server_default="0"))
    op.create_table(
        "invitation",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("token", sa.String(64), nullable=False, unique=True),
        sa.Column("looks_after", sa.Boolean, nullable=False, server_default=sa.false()),
        sa.Column("until", sa.DateTime, nullable=False),
        sa.Column("painter_id", sa.Integer, nullable=False, server_default="0"),
    )
    op.create_table(
        "login",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("token", sa.String(64), nullable=False, unique=True),
        sa.Column(
            "painter_id", sa.Integer, sa.ForeignKey("painter.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("until", sa.DateTime, nullable=False),
    )
    op.create_table(
        "share",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, nullable=False, server_default="1", index=True),
        sa.Column("token", sa.String(64), nullable=False, unique=True),
        sa.Column("kind", sa.String(8), nullable=False),
        sa.Column("of", sa.Integer, nullable=False, server_default="0"),
        sa.Column("scheme_id", sa.Integer, nullable=False, server_default="0"),
        sa.Column("copies", sa.Boolean, nullable=False, server_default=sa.true()),
        sa.Column("created_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "photo",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("user_id", sa.Integer, nullable=False, server_default="1", index=True),
        sa.Column("sha", sa.String(64), nullable=False),
        sa.UniqueConstraint("user_id", "sha", name="one_photo_of_a_painter"),
    )
    op.execute(
        "INSERT INTO photo (user_id, sha) SELECT DISTINCT user_id, json_extract(entry, '$.photo') FROM log_entry "
        "WHERE coalesce(json_extract(entry, '$.photo'), '') <> ''"
    )


def downgrade() -> None:
    """Take them away."""
    for table in ("photo", "share", "login", "invitation"):
        op.drop_table(table)
    for column in ("seconds", "begun_at"):
        op.drop_column("job", column)
    for column in ("seen_at", "looks_after", "passphrase", "name"):
        op.drop_column("painter", column)
