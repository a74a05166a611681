"""What glows on a sculpt."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    """Add the column; nothing glows until somebody lights it."""
    op.add_column("sculpt", sa.Column("glows", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("sculpt", "glows")
