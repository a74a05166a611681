"""The undercoat of a sculpt, and what kind of work a job is."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Add the columns."""
    with op.batch_alter_table("sculpt") as table:
        table.add_column(sa.Column("undercoat", sa.JSON, nullable=False, server_default="{}"))
    with op.batch_alter_table("job") as table:
        table.add_column(sa.Column("kind", sa.String(12), nullable=False, server_default="prepare"))


def downgrade() -> None:
    """Take them away again."""
    with op.batch_alter_table("job") as table:
        table.drop_column("kind")
    with op.batch_alter_table("sculpt") as table:
        table.drop_column("undercoat")
