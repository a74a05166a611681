"""The colours of lamp, sky and ground; the way of painting that a coat came from."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    """Add the columns; all lights are white until somebody colours them."""
    op.add_column("sculpt", sa.Column("tints", sa.JSON, nullable=False, server_default="{}"))
    op.add_column("coat", sa.Column("way", sa.String(20), nullable=False, server_default=""))


def downgrade() -> None:
    """Take them away."""
    op.drop_column("coat", "way")
    op.drop_column("sculpt", "tints")
