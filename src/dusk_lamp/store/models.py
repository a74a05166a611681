"""The tables."""

import json
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any, ClassVar

from sqlalchemy import JSON, Float, ForeignKey, String, Text, UniqueConstraint, false, true
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from ..core.paint.mix import Mix
from ..core.paint.rack import Paint
from ..core.plain import built, plain
from ..core.sculpt.parts import Part
from ..core.sculpt.stand import Standing
from ..core.workplace.tools import Tools

# how urgent a job is; the first gives way to the others in the middle of it
FILLS_THE_SHELF, USUAL, LOOKED_AT = 0, 1, 2
OWNER = 1  # whose everything is, as long as a bench has one user


def now() -> datetime:
    """The present moment; SQLite keeps no time zone, so UTC without one."""
    return datetime.now(UTC).replace(tzinfo=None)


@lru_cache(4096)
def _paint_of(label: str) -> Paint:
    """The paint of a label: every page asks for the whole rack, and a paint knows its own K and S once it was
    asked."""
    return built(Paint, json.loads(label), "a paint")


class Base(DeclarativeBase):
    """The root of all tables."""

    type_annotation_map: ClassVar = {
        dict[str, Any]: JSON,
        list[str]: JSON,
        list[dict[str, Any]]: JSON,
        list[int]: JSON,
        dict[str, str]: JSON,
        float: Float,
    }


class Owned:
    """What belongs to a painter. The store stamps what is new (store.owner)."""

    user_id: Mapped[int] = mapped_column(default=OWNER, server_default=str(OWNER), index=True)


class OfSculpt:
    """What belongs to a sculpt, and so to the painter who has the sculpt."""

    sculpt_id: Mapped[int] = mapped_column(ForeignKey("sculpt.id", ondelete="CASCADE"), index=True)


class Sculpt(Owned, Base):
    """One sculpt on the shelf: its files, what was made of them, and which revision of its plan holds. A deleted one
    is kept until it is cleared away."""

    __tablename__ = "sculpt"

    COPIED: ClassVar = (  # what a copy of a sculpt takes over as it is; its plan is copied by store.plans
        "file_tall",
        "findings",
        "notes",
        "mended_key",
        "surface_key",
        "sky_key",
        "thumb_key",
        "stages_done",
        "former_files",
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    file_name: Mapped[str] = mapped_column(String(255))
    file_format: Mapped[str] = mapped_column(String(8))
    file_sha: Mapped[str] = mapped_column(String(64), index=True)
    created_at: Mapped[datetime] = mapped_column(default=now)
    deleted_at: Mapped[datetime | None]
    file_tall: Mapped[float | None]  # how tall it stands in the file's own units
    findings: Mapped[dict[str, Any] | None]
    notes: Mapped[list[str]] = mapped_column(default=list)
    mended_key: Mapped[str | None] = mapped_column(String(64))
    surface_key: Mapped[str | None] = mapped_column(String(64))
    sky_key: Mapped[str | None] = mapped_column(String(64))
    thumb_key: Mapped[str | None] = mapped_column(String(64))
    stages_done: Mapped[dict[str, str]] = mapped_column(default=dict)  # what each rested on when it was done
    more_files: Mapped[list[dict[str, Any]]] = mapped_column(
        default=list
    )  # name, format, sha of those after the first
    former_files: Mapped[list[dict[str, Any]]] = mapped_column(
        default=list
    )  # number, name, format, sha: replaced ones
    plan_id: Mapped[int] = mapped_column(default=0, server_default="0")  # the revision that holds
    scheme_id: Mapped[int] = mapped_column(default=0, server_default="0")  # of its schemes; 0 while there is only one
    last_id: Mapped[int] = mapped_column(default=0, server_default="0")  # the highest id any region or glow ever had

    jobs: Mapped[list["JobRow"]] = relationship(
        back_populates="sculpt", order_by="JobRow.id", cascade="all, delete-orphan", passive_deletes=True
    )
    held: Mapped["Revision"] = relationship(
        primaryjoin="foreign(Sculpt.plan_id) == Revision.id", viewonly=True, lazy="joined", innerjoin=False
    )

    @property
    def document(self) -> dict[str, Any]:
        """The plan that holds, as plain values, without its coats."""
        return self.held.document

    @property
    def standing(self) -> Standing | None:
        """How it stands, once that is known."""
        sculpt_file = self.document["sculpt"]
        return (
            Standing(sculpt_file["up"], sculpt_file["front"], sculpt_file["height"])
            if sculpt_file["up"] and sculpt_file["front"]
            else None
        )

    @property
    def height_mm(self) -> float | None:
        """How tall it is, once that is known."""
        return self.document["sculpt"]["height"]

    @property
    def files(self) -> list[dict[str, str]]:
        """Every file it is made of: name, format, sha."""
        first = {"name": self.file_name, "format": self.file_format, "sha": self.file_sha}
        return [first, *self.more_files]

    @files.setter
    def files(self, given: list[dict[str, str]]) -> None:
        first, *self.more_files = given
        self.file_name, self.file_format, self.file_sha = first["name"][:255], first["format"], first["sha"]

    @property
    def named_parts(self) -> list[Part]:
        """Its parts, in the order of their numbers; empty until it was read."""
        return [built(Part, p, "a part") for p in self.document["parts"]]

    @property
    def shadowless(self) -> list[tuple[int, tuple[int, ...]]]:
        """The parts painted apart on which some others do not cast, with the numbers of those."""
        return [(k, p.uncast) for k, p in enumerate(self.named_parts) if p.apart and p.uncast]

    def latest_job(self, kind: str = "prepare") -> "JobRow | None":
        """The job of a kind that was last asked for."""
        return next((job for job in reversed(self.jobs) if job.kind == kind), None)

    @property
    def ready(self) -> bool:
        """Whether it can be lit."""
        return self.surface_key is not None


class Revision(OfSculpt, Base):
    """One state of a sculpt's plan. The sculpt points at the one that holds; later ones can be redone.

    scheme_id: in whose history it stands; number: its place there. action: what was done to come to it, in words.
    surface_key: what the labels and the spots of coats lie on; surface_standing: how the sculpt stood there.
    document: the plan without its coats. labels_key, coats_key: the pieces that hold the regions' labels and the
    coats; "" for none.
    """

    __tablename__ = "plan"
    __table_args__ = ({"sqlite_autoincrement": True},)  # a number is never used again, or an old tab could take it

    id: Mapped[int] = mapped_column(primary_key=True)
    scheme_id: Mapped[int] = mapped_column(default=0)
    number: Mapped[int]
    action: Mapped[str] = mapped_column(String(80), default="")
    created_at: Mapped[datetime] = mapped_column(default=now)
    surface_key: Mapped[str] = mapped_column(String(64), default="")
    surface_standing: Mapped[dict[str, Any]] = mapped_column(default=dict)
    document: Mapped[dict[str, Any]]
    labels_key: Mapped[str] = mapped_column(String(64), default="")
    coats_key: Mapped[str] = mapped_column(String(64), default="")
    counts: Mapped[dict[str, Any]] = mapped_column(default=dict)  # how many coats each stage has


class Piece(OfSculpt, Base):
    """A part of a plan's revisions that many of them share, packed by zlib, under the hash of its content."""

    __tablename__ = "plan_piece"
    __table_args__ = (UniqueConstraint("sculpt_id", "key", name="one_piece_of_a_content"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(String(64))
    content: Mapped[bytes]


class SchemeRow(OfSculpt, Base):
    """A plan of a sculpt under a name. plan_id: where it was left; of the one on the bench the sculpt itself
    knows."""

    __tablename__ = "plan_scheme"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    plan_id: Mapped[int]


class Sitting(OfSculpt, Base):
    """Where a painter is with a model: the step in hand, and the timer that runs."""

    __tablename__ = "sitting"

    id: Mapped[int] = mapped_column(primary_key=True)
    sculpt_id: Mapped[int] = mapped_column(ForeignKey("sculpt.id", ondelete="CASCADE"), unique=True)
    place: Mapped[str] = mapped_column(String(64), default="")  # the key of the coat in hand
    timer: Mapped[dict[str, Any]] = mapped_column(
        default=dict
    )  # what for, since when, how long; empty where none runs


class Done(OfSculpt, Base):
    """A step that was ended: done or skipped, when, and after how long."""

    __tablename__ = "done"
    __table_args__ = (UniqueConstraint("sculpt_id", "coat_key", name="one_end_of_a_step"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    coat_key: Mapped[str] = mapped_column(String(64))
    how: Mapped[str] = mapped_column(String(8))  # done or skipped
    at: Mapped[datetime] = mapped_column(default=now)
    seconds: Mapped[float | None]


class LogEntry(Owned, Base):
    """One entry of the log, as core.log.entry has it. It outlives its sculpt. words: what is searched in it."""

    __tablename__ = "log_entry"

    id: Mapped[int] = mapped_column(primary_key=True)
    sculpt_id: Mapped[int | None] = mapped_column(index=True)
    coat_key: Mapped[str] = mapped_column(String(64), default="")
    at: Mapped[datetime] = mapped_column(index=True)
    entry: Mapped[dict[str, Any]]
    words: Mapped[str] = mapped_column(Text, default="")


class SquadRow(Owned, Base):
    """Sculpts that take one scheme. members: plain values, a sculpt's number with its count, matches and changes."""

    __tablename__ = "squad"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    scheme_id: Mapped[int] = mapped_column(ForeignKey("sculpt.id", ondelete="CASCADE"), index=True)
    members: Mapped[list[dict[str, Any]]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class DrillCard(Owned, Base):
    """How well a drill is known. card: as core.drill.practice has it. good: of the last answers, a moving mean."""

    __tablename__ = "drill_card"
    __table_args__ = (UniqueConstraint("user_id", "name", name="one_card_of_a_drill"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(40))
    card: Mapped[dict[str, Any]]
    answers: Mapped[int] = mapped_column(default=0, server_default="0")
    good: Mapped[float] = mapped_column(default=0.0, server_default="0")


class Painter(Base):
    """Whose bench it is: the tools, the day on which each set of cautions was last read, and when one paints. On a
    bench of many also the name, a hash of the passphrase (Argon2; "" as long as the invitation was not taken), and
    whether the painter looks after the bench."""

    __tablename__ = "painter"

    id: Mapped[int] = mapped_column(primary_key=True)
    tools: Mapped[dict[str, Any]] = mapped_column(default=lambda: plain(Tools()))
    cautioned: Mapped[dict[str, Any]] = mapped_column(default=dict)
    habits: Mapped[dict[str, Any]] = mapped_column(default=dict, server_default="{}")
    name: Mapped[str] = mapped_column(String(60), default="", server_default="")
    passphrase: Mapped[str] = mapped_column(String(200), default="", server_default="")
    looks_after: Mapped[bool] = mapped_column(default=False, server_default=false())
    seen_at: Mapped[datetime | None]


class Invitation(Base):
    """A link that lets a new painter in once. token: its hash."""

    __tablename__ = "invitation"

    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    looks_after: Mapped[bool] = mapped_column(default=False, server_default=false())
    until: Mapped[datetime]
    painter_id: Mapped[int] = mapped_column(default=0, server_default="0")  # who came by it; 0: nobody yet


class Login(Base):
    """A session that is open, on whichever machine. token: its hash."""

    __tablename__ = "login"

    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    painter_id: Mapped[int] = mapped_column(ForeignKey("painter.id", ondelete="CASCADE"), index=True)
    until: Mapped[datetime]


class Share(Owned, Base):
    """Something that a painter shows to others by a link, until it is taken back. token: of the link. kind: sculpt,
    rack or recipe; of: its number (of a sculpt, a scheme's; 0 for the plan that holds). copies: others may take a
    copy."""

    __tablename__ = "share"

    id: Mapped[int] = mapped_column(primary_key=True)
    token: Mapped[str] = mapped_column(String(64), unique=True)
    kind: Mapped[str] = mapped_column(String(8))
    of: Mapped[int] = mapped_column(default=0, server_default="0")
    scheme_id: Mapped[int] = mapped_column(default=0, server_default="0")
    copies: Mapped[bool] = mapped_column(default=True, server_default=true())
    created_at: Mapped[datetime] = mapped_column(default=now)


class PhotoRow(Owned, Base):
    """A photo of a painted model, and whose it is. sha: of its content, under which it is kept."""

    __tablename__ = "photo"
    __table_args__ = (UniqueConstraint("user_id", "sha", name="one_photo_of_a_painter"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    sha: Mapped[str] = mapped_column(String(64))


class Bottle(Owned, Base):
    """One paint on the rack. A deleted one is kept until it is cleared away."""

    __tablename__ = "paint"

    id: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[dict[str, Any]]  # what the bottle says, as core.paint.rack.Paint has it
    deleted_at: Mapped[datetime | None]

    @property
    def paint(self) -> Paint:
        """The paint itself."""
        return _paint_of(json.dumps(self.label, sort_keys=True))


class Recipe(Owned, Base):
    """A named mix. It keeps its paints whole, so that a bottle that is gone takes nothing from it."""

    __tablename__ = "recipe"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    paints: Mapped[list[dict[str, Any]]]
    parts: Mapped[list[int]]
    deleted_at: Mapped[datetime | None]

    @property
    def mix(self) -> Mix:
        """The mix itself."""
        return built(Mix, {"paints": self.paints, "parts": self.parts}, "a recipe")


class JobRow(OfSculpt, Base):
    """One piece of long work, as the painter sees it."""

    __tablename__ = "job"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(12), default="prepare", server_default="prepare")  # see jobs.KINDS
    state: Mapped[str] = mapped_column(String(8), default="waiting")  # waiting, working, done, failed, stopped
    step: Mapped[str] = mapped_column(String(80), default="Queued")
    share: Mapped[float] = mapped_column(default=0.0)
    message: Mapped[str] = mapped_column(default="")
    urgency: Mapped[int] = mapped_column(default=USUAL, server_default=str(USUAL))
    attempts: Mapped[int] = mapped_column(default=0)  # workers that died over it
    worker: Mapped[str | None] = mapped_column(String(60))  # who has it
    lease_until: Mapped[datetime | None]  # and until when, unless the worker says that it is still there
    stop_asked: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(default=now)
    begun_at: Mapped[datetime | None]
    seconds: Mapped[float] = mapped_column(default=0.0, server_default="0")  # that it has taken so far

    sculpt: Mapped[Sculpt] = relationship(back_populates="jobs")

    @property
    def open(self) -> bool:
        """Whether it still has to be done."""
        return self.state in ("waiting", "working")
