"""One plan document with revisions takes the place of columns, strokes, lists of coats and kept schemes.

Everything that belonged to a plan is brought along: strokes and states of coats become revisions that can be undone,
regions get ids, and what was kept by a region's name or number is kept by its id.
"""

import base64
import hashlib
import json
import zlib
from collections import Counter
from typing import Any

import numpy as np
import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"

MOST = 100
RETIRED = ("marking", "coat", "scheme", "kept_scheme")  # tables whose rows go into the new ones
COLUMNS = (
    "up",
    "front",
    "height_mm",
    "rig",
    "greys",
    "exposure",
    "tints",
    "parts",
    "display",
    "holes_closed",
    "models",
    "face",
    "glows",
    "metal",
    "wear",
    "marking_number",
    "kept_scheme",
    "revision",
)
LATER = ["colour", "face", "metal", "edges", "glow", "wear"]


def upgrade() -> None:
    """Make the new tables, fill them, and take the old ones away."""
    op.create_table(
        "plan",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("scheme_id", sa.Integer, nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("action", sa.String(80), nullable=False),
        sa.Column("created_at", sa.DateTime, nullable=False),
        sa.Column("surface_key", sa.String(64), nullable=False),
        sa.Column("surface_standing", sa.JSON, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("labels_key", sa.String(64), nullable=False),
        sa.Column("coats_key", sa.String(64), nullable=False),
        sa.Column("counts", sa.JSON, nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "plan_piece",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
        sa.UniqueConstraint("sculpt_id", "key", name="one_piece_of_a_content"),
    )
    op.create_table(
        "plan_scheme",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "sculpt_id", sa.Integer, sa.ForeignKey("sculpt.id", ondelete="CASCADE"), nullable=False, index=True
        ),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("plan_id", sa.Integer, nullable=False),
    )
    op.add_column("sculpt", sa.Column("plan_id", sa.Integer, nullable=False, server_default="0"))
    op.add_column("sculpt", sa.Column("last_id", sa.Integer, nullable=False, server_default="0"))
    connection = op.get_bind()
    schemes = {
        n: connection.execute(sa.text("SELECT * FROM scheme WHERE sculpt_id = :n ORDER BY number"), {"n": n})
        .mappings()
        .all()
        for (n,) in connection.execute(sa.text("SELECT id FROM sculpt")).all()
    }
    for sculpt in connection.execute(sa.text("SELECT * FROM sculpt ORDER BY id")).mappings().all():
        _Brought(connection, dict(sculpt), schemes[sculpt["id"]]).bring()
    for table in RETIRED:
        op.drop_table(table)
    for column in COLUMNS:
        op.drop_column("sculpt", column)


class _Brought:
    """One sculpt on its way."""

    def __init__(self, connection: Any, sculpt: dict[str, Any], schemes: Any) -> None:
        self.connection, self.sculpt, self.schemes = connection, sculpt, schemes
        self.json = {
            k: json.loads(sculpt[k] or "null")
            for k in sculpt
            if k in COLUMNS and isinstance(sculpt[k], str) and sculpt[k][:1] in "{[n"
        }
        self.last_id = 0

    def all(self, query: str, **values: Any) -> list[dict[str, Any]]:
        return [dict(r) for r in self.connection.execute(sa.text(query), values).mappings().all()]

    def bring(self) -> None:
        n, now = self.sculpt["id"], self.sculpt["marking_number"]
        strokes = self.all("SELECT * FROM marking WHERE sculpt_id = :n AND number <= :k ORDER BY number", n=n, k=now)
        held = next((s for s in self.schemes if s["id"] == self.sculpt["scheme_id"]), None)
        states = [s for s in self.schemes if held is not None and s["number"] <= held["number"]][-MOST // 2 :]
        strokes = strokes[-MOST // 2 :]
        last = strokes[-1] if strokes else None
        self.last_id = max([0, *(len(json.loads(s["regions"])) for s in strokes)])
        glows = [g["number"] for g in self.json.get("glows", {}).get("all", [])]
        first_glow = self.last_id
        self.last_id += max([0, *glows])
        kept = self.all("SELECT * FROM kept_scheme WHERE sculpt_id = :n ORDER BY id", n=n)
        on_bench = next((k for k in kept if k["id"] == self.sculpt["kept_scheme"]), None)
        scheme_id = 0
        for own in kept:  # their numbers stay, so that open pages find them
            self.connection.execute(
                sa.text("INSERT INTO plan_scheme (id, sculpt_id, name, plan_id) VALUES (:id, :n, :name, 0)"),
                {"id": own["id"], "n": n, "name": own["name"]},
            )
            if own is on_bench:
                scheme_id = own["id"]
        plan_id = 0
        steps: list[tuple[dict[str, Any] | None, dict[str, Any] | None]] = [(None, None)]
        steps += [(stroke, None) for stroke in strokes]
        steps += [(last, state) for state in states]
        for number, (stroke, state) in enumerate(steps, 1):
            coats = self.all("SELECT * FROM coat WHERE scheme_id = :s ORDER BY place", s=state["id"]) if state else []
            made = [self.coat(c, c["goes_on"], stroke, first_glow) for c in coats]
            document = self.document(stroke, state, made, first_glow)
            action = "brought to the shelf" if number == 1 else "regions marked" if state is None else "coats changed"
            plan_id = self.insert(scheme_id, number, action, document, stroke, made)
        if on_bench is not None:
            self.point("plan_scheme", on_bench["id"], plan_id)
        for own in kept:
            if own is on_bench:
                continue
            choice, coats = json.loads(own["choice"]), json.loads(own["coats"])
            made = [self.coat(c, c.get("where", {}), last, first_glow) for c in coats]
            document = self.document(
                last, choice, made, first_glow, json.loads(own["regions"]), json.loads(own["tints"])
            )
            self.point(
                "plan_scheme", own["id"], self.insert(own["id"], 1, "brought to the shelf", document, last, made)
            )
        self.connection.execute(
            sa.text("UPDATE sculpt SET plan_id = :p, scheme_id = :s, last_id = :l WHERE id = :n"),
            {"p": plan_id, "s": scheme_id, "l": self.last_id, "n": n},
        )

    def point(self, table: str, row: int, plan_id: int) -> None:
        change = sa.text(f"UPDATE {table} SET plan_id = :p WHERE id = :i")  # noqa: S608
        self.connection.execute(change, {"p": plan_id, "i": row})

    def insert(
        self,
        scheme_id: int,
        number: int,
        action: str,
        document: dict[str, Any],
        stroke: Any,
        coats: list[dict[str, Any]],
    ) -> int:
        n = self.sculpt["id"]
        labels = self.piece(zlib.decompress(stroke["labels"])) if stroke else ""
        packed = self.piece(json.dumps(coats).encode()) if coats else ""
        surface = stroke["surface_key"] if stroke else (self.sculpt["surface_key"] or "") if coats else ""
        standing = json.loads(stroke["standing"]) if stroke else self.standing() if surface else {}
        row = {
            "n": n,
            "s": scheme_id,
            "k": number,
            "a": action,
            "c": self.sculpt["created_at"],
            "f": surface,
            "g": json.dumps(standing),
            "d": json.dumps(document),
            "l": labels,
            "o": packed,
            "z": json.dumps(Counter(c["stage"] for c in coats)),
        }
        done = self.connection.execute(
            sa.text(
                "INSERT INTO plan (sculpt_id, scheme_id, number, action, created_at, surface_key, surface_standing, "
                "document, labels_key, coats_key, counts) VALUES (:n, :s, :k, :a, :c, :f, :g, :d, :l, :o, :z)"
            ),
            row,
        )
        return int(done.lastrowid)

    def piece(self, content: bytes) -> str:
        key = hashlib.sha256(content).hexdigest()
        self.connection.execute(
            sa.text("INSERT OR IGNORE INTO plan_piece (sculpt_id, key, content) VALUES (:n, :k, :c)"),
            {"n": self.sculpt["id"], "k": key, "c": zlib.compress(content, 6)},
        )
        return key

    def standing(self) -> dict[str, Any]:
        return {"up": self.sculpt["up"], "front": self.sculpt["front"], "height_mm": self.sculpt["height_mm"]}

    def document(
        self,
        stroke: Any,
        state: Any,
        coats: list[dict[str, Any]],
        first_glow: int,
        looks: Any = None,
        tints: Any = None,
    ) -> dict[str, Any]:
        s, own = self.sculpt, self.json
        regions = [{**r, "id": k} for k, r in enumerate(json.loads(stroke["regions"]), 1)] if stroke else []
        if looks is not None:  # a kept scheme knew its regions by their names
            named = {r["name"]: r for r in looks}
            regions = [{**r, **{k: v for k, v in named.get(r["name"], {}).items() if k != "id"}} for r in regions]
        ids: dict[Any, int] = {r["name"]: r["id"] for r in regions}
        wishes: dict[str, Any] = {}
        if state:
            under = {k: state[k] for k in ("school", "primer", "through", "darkest", "lightest")}
            wishes["undercoat"] = {**under, "in_colour": bool(state["in_colour"])}
        metal = {str(ids[name]): m for name, m in (own.get("metal") or {}).items() if name in ids}
        if metal:
            wishes["metal"] = {"regions": {k: _metal(m) for k, m in metal.items()}}
        edges = {
            k: {"least": m.get("least", 0.0), "line": m.get("line", 0.4), "highlight": False, "lining": False}
            for k, m in metal.items()
        }
        for coat in coats:
            if coat["stage"] == "edges" and coat["region"]:
                usual = {"least": 0.0, "line": 0.4, "highlight": False, "lining": False}
                mark = "lining" if coat["way"] == "lining" else "highlight"
                edges.setdefault(str(coat["region"]), usual)[mark] = True
        edges = {
            k: e for k, e in edges.items() if e != {"least": 0.0, "line": 0.4, "highlight": False, "lining": False}
        }
        if edges:
            wishes["edges"] = {"regions": edges}
        glows = own.get("glows") or {}
        lenses = sorted({c["region"] for c in coats if c["way"] == "lens" and c["region"]})
        if glows.get("all") or lenses:
            wishes["glow"] = {"glows": [_glow(g, ids, first_glow) for g in glows.get("all", [])], "lenses": lenses}
        wear = own.get("wear") or {}
        if wear:
            spared = [ids[name] for name in wear.get("spared", []) if name in ids]
            wishes["wear"] = {"amounts": wear.get("amounts", {}), "spared": spared, "seed": wear.get("seed", 1)}
        face = {k: v for k, v in (own.get("face") or {}).items() if k in ("left", "right", "at", "looks")}
        if face:
            wishes["face"] = face
        more = [f["name"] for f in json.loads(s["more_files"] or "[]")]
        under_laid = any(c["stage"] == "undercoat" for c in coats)
        return {
            "plan": 2,
            "sculpt": {
                "file": s["file_name"],
                "more": more,
                "up": s["up"],
                "front": s["front"],
                "height": s["height_mm"],
                "samples": None,
                "most_samples": None,
                "holes_closed": bool(s["holes_closed"]),
                "apart": [],
            },
            "parts": own.get("parts") or [],
            "display": own.get("display") or {},
            "light": own.get("rig") or {},
            "tints": (own.get("tints") if tints is None else tints) or {},
            "exposure": own.get("exposure") or {},
            "greys": own.get("greys") or {},
            "dusk": glows.get("dusk", 1.0),
            "regions": regions,
            "wishes": wishes,
            "settled": [*(["undercoat"] if under_laid else []), *LATER],
            "models": s["models"] or 1,
            "last_id": self.last_id,
        }

    def coat(self, row: Any, goes_on: Any, stroke: Any, first_glow: int) -> dict[str, Any]:
        load = lambda x: json.loads(x) if isinstance(x, str) else x  # noqa: E731
        where, way, stage = load(goes_on) or {}, row.get("way") or "", row["stage"]
        region = self.region_of(where, stroke) if stage not in ("undercoat", "wear") else 0
        if way.startswith("lens-"):
            way, region = "lens", int(way[5:])
        elif way.startswith("glow-"):
            way, region = f"glow-{first_glow + int(way[5:])}", 0
        if way in ("edges", "lining"):
            stage = "edges"
        return {
            "technique": row["technique"],
            "mix": load(row["mix"]),
            "settings": load(row["settings"]),
            "where": where,
            "muted": bool(row["muted"]),
            "label": row["label"],
            "stage": stage,
            "way": way,
            "region": region,
        }

    def region_of(self, where: dict[str, Any], stroke: Any) -> int:
        """The region that most of what a coat goes on belongs to, where that is known."""
        if where.get("kind") == "region":
            return int(where["number"])
        if where.get("kind") != "mask" or stroke is None:
            return 0
        labels = np.frombuffer(zlib.decompress(stroke["labels"]), np.uint8)
        if where["number"] != len(labels):
            return 0
        bits = zlib.decompress(base64.b85decode(where["mask"]))
        own = np.unpackbits(np.frombuffer(bits, np.uint8))[: len(labels)].astype(bool)
        return int(np.bincount(labels[own]).argmax()) if own.any() else 0


def _metal(kept: dict[str, Any]) -> dict[str, Any]:
    shine = dict(kept.get("shine") or {})
    if "said" in shine:
        shine["corrections"] = shine.pop("said")
    return {**{k: v for k, v in kept.items() if k in ("school", "world", "own")}, "shine": shine}


def _glow(kept: dict[str, Any], ids: dict[Any, int], first: int) -> dict[str, Any]:
    out = {k: v for k, v in kept.items() if k not in ("number", "of", "region")}
    out["seed"] = max(0, min(9999, int(out.get("seed", 1))))
    return {**out, "id": first + kept["number"], "region": ids.get(kept.get("of", ""), 0)}
