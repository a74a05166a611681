"""How urgent a job is: what somebody waits for goes before what only fills the shelf."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Add the column; what waits by now is as urgent as usual."""
    op.add_column("job", sa.Column("urgency", sa.Integer, nullable=False, server_default="1"))


def downgrade() -> None:
    """Take it away."""
    op.drop_column("job", "urgency")
