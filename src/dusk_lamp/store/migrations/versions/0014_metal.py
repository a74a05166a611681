"""How metal is painted."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    """Add the column; no metal is painted until somebody chooses a school."""
    op.add_column("sculpt", sa.Column("metal", sa.JSON, nullable=False, server_default="{}"))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("sculpt", "metal")
