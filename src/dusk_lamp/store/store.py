"""One data folder: the database, the uploads, the photos and the cache, opened together."""

import hashlib
import os
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from typing import IO

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from ..core.errors import SettingError
from ..settings import Settings
from .at_work import AtWork
from .cache import FolderCache
from .database import SAVES, engine_of, newest
from .models import USUAL, JobRow, LogEntry, Sculpt, now
from .owner import acting, keep_apart
from .shared import Shared, SharedCache
from .upgrade import DatabaseError

PIECE_BYTES = 1 << 20
UNDO_DAYS = 30  # how long a deleted sculpt can be put back
STEADY_DAYS = 7  # after a longer silence the clock is not believed until the next start
PHOTO_HOURS = 48  # how long a photo that the log does not name is kept after it was last looked at
SHORTEST_SECRET = 32  # letters
SHARED_S = 3600.0  # how long a shared upload is kept for a sculpt that another machine is about to add


class Store:
    """Everything kept in one data folder. Opening it brings the database to the newest shape."""

    def __init__(self, root: Path, settings: Settings | None = None, *, migrate: bool = True) -> None:
        self.root = root
        self.at_work = AtWork(root)
        self.settings = settings or Settings()
        self.uploads, self.photos, self.templates = root / "uploads", root / "photos", root / "templates"
        for folder in (self.uploads, self.photos, self.templates):
            folder.mkdir(parents=True, exist_ok=True)
            folder.chmod(0o700)
        self._shared = Shared(self.settings.files) if self.settings.files else None
        local = root / "cache"
        self.cache: FolderCache = SharedCache(local, self._shared) if self._shared else FolderCache(local)
        if migrate:
            newest(root, self.settings)
        self.engine = engine_of(root, self.settings)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        keep_apart(self._sessions)

    def _info(self) -> dict[str, int | None]:
        return {"painter": acting(), "quota_jobs": self.settings.quota_jobs}

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A unit of work: committed when the block ends well, undone when it does not. It sees what the painter has
        that this thread acts for; see store.owner."""
        with self._sessions(info=self._info()) as session, session.begin():
            yield session

    @contextmanager
    def saving(self) -> Iterator[Session]:
        """The same, for a short save that depends on what it reads: no other save comes in between."""
        with self._sessions(info=self._info()) as session, session.begin():
            session.connection(execution_options={SAVES: True})
            yield session

    def trim(self) -> None:
        """Keep the cache within its limit."""
        self.cache.trim(self.settings.cache_limit_gb * 10**9)
        if isinstance(self.cache, SharedCache):
            self.cache.trim_shared(self.settings.cache_limit_gb * 10**9)

    def clear_shared(self, uploads: set[str], photos: set[str], unneeded_for_s: float) -> None:
        """Let go of shared files that nobody needs: of uploads and photos by their hashes."""
        if self._shared is None:
            return
        for folder, needed, kept_s in (
            ("uploads", uploads, max(unneeded_for_s, SHARED_S)),
            ("photos", photos, 3600 * PHOTO_HOURS),
        ):
            for name, (_, written) in self._shared.entries(folder).items():
                stem = name.rsplit("/", 1)[1].split(".")[0]
                if stem not in needed and written < time.time() - kept_s:
                    self._shared.remove(name)

    def close(self) -> None:
        """Let go of the database."""
        self.engine.dispose()

    def secret(self) -> str:
        """The key that signs session cookies; made once, readable by the owner only."""
        path = self.root / "secret"
        if not path.exists():
            with open(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as f:
                f.write(secrets.token_hex(32))
        key = path.read_text().strip()
        if len(key) < SHORTEST_SECRET:
            raise DatabaseError(
                f"{path} holds no secret; delete it, and a new one is made (open pages must then be reloaded)"
            )
        return key

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
            part.chmod(0o600)
            if self._shared and not self._shared.has(f"uploads/{sha}.{file_format}"):
                self._shared.put(f"uploads/{sha}.{file_format}", part)
            part.replace(self._upload(sha, file_format))
        finally:
            part.unlink(missing_ok=True)
        return sha

    def upload_path(self, sha: str, file_format: str) -> Path:
        """Where an upload lies; fetched from the shared files where it is not here yet. Built from a hash and a known
        ending only, never from a name somebody sent."""
        path = self._upload(sha, file_format)
        if self._shared and not path.exists():
            self._shared.fetch(f"uploads/{path.name}", path)
        return path

    def _upload(self, sha: str, file_format: str) -> Path:
        return self.uploads / f"{sha}.{file_format}"

    def size_of(self, name: str) -> int:
        """Bytes of an upload or a photo, `folder/name`, here or in the shared files; 0 where there is none."""
        path = self.root / name
        if path.exists():
            return path.stat().st_size
        return self._shared.size(name) if self._shared else 0

    def files_answer(self) -> bool:
        """Whether files can be read and written now."""
        return self._shared.answer() if self._shared else os.access(self.root, os.W_OK)

    def keep_photo(self, picture: bytes) -> str:
        """Keep a PNG of a swatch; the name (64 hex digits) it can be asked for by."""
        name = secrets.token_hex(32)
        path = self.photos / f"{name}.png"
        path.write_bytes(picture)
        if self._shared:
            self._shared.put(f"photos/{path.name}", path)
        return name

    def keep_jpeg(self, picture: bytes) -> str:
        """Keep a JPEG of a painted model, for as long as the log names it; its sha."""
        sha = hashlib.sha256(picture).hexdigest()
        path = self.photos / f"{sha}.jpg"
        if not path.exists():
            part = path.with_suffix(f".{secrets.token_hex(6)}.part")
            with open(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as f:
                f.write(picture)
            part.replace(path)
            if self._shared:
                self._shared.put(f"photos/{path.name}", path)
        os.utime(path)
        return sha

    def photo_path(self, sha: str) -> Path | None:
        """Where a photo of a painted model lies; None where there is none of that sha, whatever it is."""
        if not (len(sha) == 64 and sha.isascii() and sha.isalnum()):
            return None
        path = self.photos / f"{sha}.jpg"
        if path.exists() or (self._shared and self._shared.fetch(f"photos/{path.name}", path)):
            return path
        return None

    def photo(self, name: str) -> bytes:
        """A photo of a swatch by its name.

        Raises:
            KeyError: there is none of that name, or no more.
        """
        if len(name) != 64 or not all(c in "0123456789abcdef" for c in name):
            raise KeyError(name)
        path = self.photos / f"{name}.png"
        if self._shared and not path.exists():
            self._shared.fetch(f"photos/{path.name}", path)
        try:
            os.utime(path)
            return path.read_bytes()
        except OSError as e:
            raise KeyError(name) from e


def free_name(session: Session, wanted: str) -> str:
    """The wanted name, or the same with a number, so that no two sculpts on the shelf share one."""
    wanted = " ".join(wanted.split())[:110] or "Sculpt"
    taken = {n.lower() for n in session.scalars(select(Sculpt.name).where(Sculpt.deleted_at.is_(None)))}
    name, n = wanted, 2
    while name.lower() in taken:
        name, n = f"{wanted} ({n})", n + 1
    return name


def clear_away(store: Store, unneeded_for_s: float = 0.0) -> int:
    """Let go of what was deleted more than UNDO_DAYS ago, and of uploads no sculpt has needed for so long; returns
    how many sculpts went. A clock that has just jumped takes nothing: what is due goes only where this was also run
    lately."""
    steady = _run_lately(store.root / "cleared")
    with store.session() as session:
        due = Sculpt.deleted_at < now() - timedelta(days=UNDO_DAYS)
        old = session.scalars(select(Sculpt).where(due)).all() if steady else []
        for sculpt in old:
            session.delete(sculpt)
        session.flush()
        kept = session.scalars(select(Sculpt)).all()
        needed = {file["sha"] for sculpt in kept for file in (*sculpt.files, *sculpt.former_files)}
        named = {sha for sha in session.scalars(select(LogEntry.entry["photo"].as_string()).distinct()) if sha}
    for path in store.uploads.iterdir():
        # one that has just come may not have its sculpt yet
        if path.name.split(".")[0] not in needed and path.stat().st_mtime <= time.time() - unneeded_for_s:
            path.unlink(missing_ok=True)
    for path in store.photos.iterdir():
        # what the log names stays with it; a swatch is looked at while its paint is entered
        if path.stem not in named and path.stat().st_mtime < time.time() - 3600 * PHOTO_HOURS:
            path.unlink(missing_ok=True)
    store.trim()
    store.clear_shared(needed, named, unneeded_for_s)
    return len(old)


def _run_lately(mark: Path) -> bool:
    """Whether clearing was last run within STEADY_DAYS before this moment; marks that it is run now."""
    since = time.time() - mark.stat().st_mtime if mark.exists() else -1.0
    mark.touch(mode=0o600)
    return 0 <= since <= 86400 * STEADY_DAYS


def new_job(session: Session, sculpt: Sculpt, kind: str = "prepare", urgency: int = USUAL) -> JobRow:
    """A job for a sculpt; an older one of its kind that is still open is asked to stop.

    Raises:
        SettingError: as many jobs of this painter wait as may.
    """
    most = session.info.get("quota_jobs") or 0
    if most:
        open_ones = select(func.count(JobRow.id)).join(Sculpt).where(JobRow.state.in_(("waiting", "working")))
        waiting = (
            session.scalar(open_ones.where(Sculpt.user_id == sculpt.user_id, JobRow.sculpt_id != sculpt.id)) or 0
        )
        if waiting >= most:
            raise SettingError(
                f"{waiting} of your jobs are still waiting, as many as this bench takes from one painter; wait until "
                "one is done"
            )
    for old in sculpt.jobs:
        if old.open and old.kind == kind:
            old.stop_asked = True
            old.state = "stopped"
    job = JobRow(sculpt=sculpt, kind=kind, urgency=urgency)
    session.add(job)
    session.flush()
    return job


def lay_out_again(session: Session, sculpt: Sculpt) -> JobRow:
    """A job that lays a sculpt out again: until that is done there is nothing to show."""
    sculpt.surface_key = sculpt.sky_key = None
    return new_job(session, sculpt)
