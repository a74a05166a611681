"""The last shape from before plans were one document; older ones are brought to it before Alembic looks."""

from alembic import op

from dusk_lamp.store.before_plans import VERSION, bring

revision = VERSION
down_revision = None


def upgrade() -> None:
    """Make its tables."""
    bring(op.get_bind())


def downgrade() -> None:
    """There is nothing before it."""
    raise NotImplementedError("restore the backup that was made before the upgrade")
