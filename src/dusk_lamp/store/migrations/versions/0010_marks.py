"""A stage that is done remembers what it rested on."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    """What was done stays done: what it rested on then is not known, and is left empty."""
    connection = op.get_bind()
    for sculpt_id, done in connection.execute(sa.text("SELECT id, stages_done FROM sculpt")).all():
        kept = json.loads(done)
        marks = kept if isinstance(kept, dict) else dict.fromkeys(kept, "")
        connection.execute(
            sa.text("UPDATE sculpt SET stages_done = :marks WHERE id = :id"),
            {"marks": json.dumps(marks), "id": sculpt_id},
        )


def downgrade() -> None:
    """Back to names alone."""
    connection = op.get_bind()
    for sculpt_id, marks in connection.execute(sa.text("SELECT id, stages_done FROM sculpt")).all():
        connection.execute(
            sa.text("UPDATE sculpt SET stages_done = :done WHERE id = :id"),
            {"done": json.dumps(list(json.loads(marks))), "id": sculpt_id},
        )
