"""Coats as rows with revisions; greys by their own name; owners; leases of jobs."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Make the tables, fill them from what was kept beside each sculpt, and take that away."""
    op.create_table(
        "scheme",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("school", sa.String(20), nullable=False),
        sa.Column("primer", sa.String(60)),
        sa.Column("through", sa.String(60)),
        sa.Column("in_colour", sa.Boolean, nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "coat",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "scheme_id", sa.Integer, sa.ForeignKey("scheme.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("place", sa.Integer, nullable=False),
        sa.Column("stage", sa.String(20), nullable=False),
        sa.Column("technique", sa.String(20), nullable=False),
        sa.Column("mix", sa.JSON, nullable=False),
        sa.Column("settings", sa.JSON, nullable=False),
        sa.Column("goes_on", sa.JSON, nullable=False),
        sa.Column("muted", sa.Boolean, nullable=False),
        sa.Column("label", sa.String(80), nullable=False),
    )
    for table in ("sculpt", "paint", "recipe"):
        op.add_column(table, sa.Column("user_id", sa.Integer, nullable=False, server_default="1"))
        op.create_index(f"ix_{table}_user_id", table, ["user_id"])
    op.add_column("sculpt", sa.Column("scheme_id", sa.Integer, nullable=False, server_default="0"))
    op.add_column("job", sa.Column("worker", sa.String(60)))
    op.add_column("job", sa.Column("lease_until", sa.DateTime))
    op.execute("ALTER TABLE sculpt RENAME COLUMN ladder TO greys")
    op.execute("ALTER TABLE paint RENAME COLUMN told TO label")
    connection = op.get_bind()
    rows = connection.execute(sa.text("SELECT id, undercoat, stages_done FROM sculpt")).all()
    for sculpt_id, undercoat, done in rows:
        renamed = json.dumps(["greys" if stage == "ladder" else stage for stage in json.loads(done)])
        connection.execute(
            sa.text("UPDATE sculpt SET stages_done = :done WHERE id = :id"), {"done": renamed, "id": sculpt_id}
        )
        kept = json.loads(undercoat or "{}")
        if kept.get("coats"):
            _fill(connection, sculpt_id, [*kept.get("past", []), kept])
    op.execute("ALTER TABLE sculpt DROP COLUMN undercoat")


def _fill(connection: Any, sculpt_id: int, states: list[dict[str, Any]]) -> None:
    scheme_id = 0
    for number, state in enumerate(states, 1):
        found = connection.execute(
            sa.text(
                "INSERT INTO scheme (sculpt_id, number, school, primer, through, in_colour) VALUES (:sculpt, "
                ":number, :school, :primer, :through, :colour)"
            ),
            {
                "sculpt": sculpt_id,
                "number": number,
                "school": state.get("school", "ladder"),
                "primer": state.get("primer"),
                "through": state.get("through"),
                "colour": bool(state.get("in_colour")),
            },
        )
        scheme_id = found.lastrowid
        for place, coat in enumerate(state.get("coats", [])):
            connection.execute(
                sa.text(
                    "INSERT INTO coat (scheme_id, place, stage, technique, mix, settings, goes_on, muted, label) "
                    "VALUES (:scheme, :place, 'undercoat', :technique, :mix, :settings, :goes_on, :muted, :label)"
                ),
                {"scheme": scheme_id, "place": place, **_row(coat)},
            )
    connection.execute(
        sa.text("UPDATE sculpt SET scheme_id = :scheme WHERE id = :id"), {"scheme": scheme_id, "id": sculpt_id}
    )


def _row(coat: dict[str, Any]) -> dict[str, Any]:
    """A coat as it was kept: a pass beside an amount; now both are settings of the technique."""
    settings = {**coat["pass"]} if coat.get("pass") else {"film_um": coat["amount"], **coat.get("settings", {})}
    return {
        "technique": coat["technique"],
        "mix": json.dumps({"paints": coat["paints"], "parts": coat["parts"]}),
        "settings": json.dumps(settings),
        "goes_on": json.dumps({"kind": "whole", "number": 0, "samples": []}),
        "muted": bool(coat.get("muted")),
        "label": str(coat.get("label", ""))[:80],
    }


def downgrade() -> None:
    """There is no way back: undone states would be lost. The backup made before the upgrade is the way back."""
    raise NotImplementedError("restore the backup that was made before the upgrade")
