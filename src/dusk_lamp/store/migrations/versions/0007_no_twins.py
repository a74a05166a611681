"""No two paints, recipes or sculpts of one name at a time, minded by the database itself; what was twin before gets
a number."""

import json

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Number the twins, then forbid new ones."""
    connection = op.get_bind()
    seen: set[str] = set()
    for paint_id, label in connection.execute(
        sa.text("SELECT id, label FROM paint WHERE deleted_at IS NULL ORDER BY id")
    ).all():
        own = json.loads(label)
        first, k = own["name"], 2
        while own["name"].lower() in seen:
            own["name"], k = f"{first[:54]} ({k})", k + 1
        seen.add(own["name"].lower())
        if own["name"] != first:
            connection.execute(
                sa.text("UPDATE paint SET label = :label WHERE id = :id"), {"label": json.dumps(own), "id": paint_id}
            )
    for table, longest in (("recipe", 54), ("sculpt", 110)):
        rows = sa.table(table, sa.column("id"), sa.column("name"), sa.column("deleted_at"))
        seen = set()
        kept = sa.select(rows.c.id, rows.c.name).where(rows.c.deleted_at.is_(None)).order_by(rows.c.id)
        for row_id, name in connection.execute(kept).all():
            own_name, k = name, 2
            while own_name.lower() in seen:
                own_name, k = f"{name[:longest]} ({k})", k + 1
            seen.add(own_name.lower())
            if own_name != name:
                connection.execute(sa.update(rows).where(rows.c.id == row_id).values(name=own_name))
    op.execute(
        "CREATE UNIQUE INDEX one_paint_of_a_name ON paint (user_id, lower(json_extract(label, '$.name'))) WHERE "
        "deleted_at IS NULL"
    )
    op.execute("CREATE UNIQUE INDEX one_recipe_of_a_name ON recipe (user_id, lower(name)) WHERE deleted_at IS NULL")
    op.execute("CREATE UNIQUE INDEX one_sculpt_of_a_name ON sculpt (user_id, lower(name)) WHERE deleted_at IS NULL")


def downgrade() -> None:
    """Let twins be again."""
    for name in ("one_paint_of_a_name", "one_recipe_of_a_name", "one_sculpt_of_a_name"):
        op.execute(f"DROP INDEX {name}")
