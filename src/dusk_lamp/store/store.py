"""One data folder: the database, the uploads and the cache, opened together."""

import hashlib
import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import IO, Any

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine, event, select
from sqlalchemy.orm import Session, sessionmaker

from .cache import Cache
from .models import Job, Sculpt, now

PIECE_BYTES = 1 << 20
UNDO_DAYS = 30  # how long a deleted sculpt can be put back


class Store:
    """Everything kept in one data folder. Opening it brings the database to the newest shape."""

    def __init__(self, root: Path, *, migrate: bool = True) -> None:
        self.root = root
        self.uploads = root / "uploads"
        self.uploads.mkdir(parents=True, exist_ok=True)
        self.cache = Cache(root / "cache")
        self.engine = create_engine(f"sqlite:///{root / 'dusk-lamp.db'}", connect_args={"timeout": 30})
        event.listen(self.engine, "connect", _prepare_connection)
        if migrate:
            upgrade(self)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A unit of work: committed when the block ends well, undone when it does not."""
        with self._sessions() as session, session.begin():
            yield session

    def close(self) -> None:
        """Let go of the database."""
        self.engine.dispose()

    def secret(self) -> str:
        """The key that signs session cookies; made once, readable by the owner only."""
        path = self.root / "secret"
        if not path.exists():
            with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as f:
                f.write(secrets.token_hex(32))
        return path.read_text()

    def keep_upload(self, stream: IO[bytes], file_format: str) -> str:
        """Keep an uploaded file under the hash of its content, which this returns. The same file is kept once."""
        digest = hashlib.sha256()
        part = self.uploads / f".part-{secrets.token_hex(8)}"
        try:
            with part.open("wb") as f:
                while piece := stream.read(PIECE_BYTES):
                    digest.update(piece)
                    f.write(piece)
            sha = digest.hexdigest()
            part.replace(self.upload_path(sha, file_format))
        finally:
            part.unlink(missing_ok=True)
        return sha

    def upload_path(self, sha: str, file_format: str) -> Path:
        """Where an upload lies. Built from a hash and a known ending only, never from a name somebody sent."""
        return self.uploads / f"{sha}.{file_format}"


def _prepare_connection(connection: Any, _record: Any) -> None:
    connection.execute("PRAGMA journal_mode=WAL")
    connection.execute("PRAGMA foreign_keys=ON")
    connection.execute("PRAGMA synchronous=NORMAL")


def upgrade(store: Store) -> None:
    """Bring the database to the newest shape."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    with store.engine.connect() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")


def add_sculpt(session: Session, name: str, files: list[dict[str, str]]) -> Sculpt:
    """A new sculpt on the shelf, waiting to be prepared. files: name, format and sha of each."""
    sculpt = Sculpt(name=name[:120], files=files)
    session.add(sculpt)
    session.flush()
    return sculpt


def free_name(session: Session, wanted: str) -> str:
    """The wanted name, or the same with a number, so that no two sculpts on the shelf share one."""
    wanted = " ".join(wanted.split())[:110] or "Sculpt"
    taken = set(session.scalars(select(Sculpt.name).where(Sculpt.deleted_at.is_(None))))
    name, n = wanted, 2
    while name in taken:
        name, n = f"{wanted} ({n})", n + 1
    return name


def clear_away(store: "Store") -> int:
    """Let go of what was deleted more than UNDO_DAYS ago, and of uploads no sculpt needs; returns how many sculpts went."""
    with store.session() as session:
        old = session.scalars(select(Sculpt).where(Sculpt.deleted_at < now() - timedelta(days=UNDO_DAYS))).all()
        for sculpt in old:
            session.delete(sculpt)
        session.flush()
        kept = session.scalars(select(Sculpt)).all()
        needed = {file["sha"] for sculpt in kept for file in (*sculpt.files, *sculpt.former_files)}
    for path in store.uploads.iterdir():
        if path.name.split(".")[0] not in needed:
            path.unlink(missing_ok=True)
    return len(old)


def new_job(session: Session, sculpt: Sculpt, kind: str = "prepare") -> Job:
    """A job for a sculpt; any older one still open is asked to stop."""
    for old in sculpt.jobs:
        if old.open:
            old.stop_asked = True
            old.state = "stopped"
    job = Job(sculpt=sculpt, kind=kind)
    session.add(job)
    session.flush()
    return job
