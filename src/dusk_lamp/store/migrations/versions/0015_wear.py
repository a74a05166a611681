"""How a model is weathered."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    """Add the column; nothing is weathered until somebody asks for it."""
    op.add_column("sculpt", sa.Column("wear", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("sculpt", "wear")
