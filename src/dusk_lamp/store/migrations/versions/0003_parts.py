"""Parts: further files, what was replaced, the parts' names and wishes, the display view, closed holes."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"

LISTS = ("more_files", "former_files", "parts")


def upgrade() -> None:
    """Add the columns."""
    with op.batch_alter_table("sculpt") as table:
        for name in LISTS:
            table.add_column(sa.Column(name, sa.JSON, nullable=False, server_default="[]"))
        plain = '{"azimuth": 0.0, "elevation": 8.0, "spots": []}'
        table.add_column(sa.Column("display", sa.JSON, nullable=False, server_default=plain))
        table.add_column(sa.Column("holes_closed", sa.Boolean, nullable=False, server_default=sa.false()))


def downgrade() -> None:
    """Take them away again."""
    with op.batch_alter_table("sculpt") as table:
        for name in (*LISTS, "display", "holes_closed"):
            table.drop_column(name)
