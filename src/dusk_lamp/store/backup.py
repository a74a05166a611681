"""Backup and restore: the database, the uploads and the photos of a data folder in one zip file; the cache is worked
out again."""

import json
import os
import shutil
import sqlite3
import tempfile
import time
import zipfile
from contextlib import closing
from pathlib import Path

from ..core.errors import DuskLampError
from ..settings import Settings
from .move import move
from .shared import Shared
from .upgrade import DATABASE, revisions

MARK = "dusk-lamp-backup.json"
FOLDERS = ("uploads", "photos")
MOST_UNPACKED_BYTES = 100_000_000_000


class BackupError(DuskLampError):
    """A backup cannot be made or restored; the message says why. What was there is untouched."""


def backup(root: Path, to: Path, settings: Settings | None = None) -> dict[str, int]:
    """Write a whole backup of a bench, also while it is served; an earlier file of that name is replaced at the end.
    It is always that of a data folder: rows of another database are copied into SQLite first, shared files are
    fetched.

    Returns:
        how many files and sculpts are in it.
    Raises:
        BackupError: there is nothing to keep, or no room for it.
    """
    settings = settings or Settings()
    if not settings.database and not (root / DATABASE).exists():
        raise BackupError(f"there is nothing in {root} to be kept")
    part = to.with_name(to.name + ".part")
    try:
        with tempfile.TemporaryDirectory(dir=root) as folder:
            copy = Path(folder) / DATABASE
            if settings.database:
                move(root, settings, folder)
            else:
                with closing(sqlite3.connect(root / DATABASE)) as source, closing(sqlite3.connect(copy)) as target:
                    source.backup(target)  # SQLite's own: a whole state, whatever is being written meanwhile
            _fetch_shared(root, settings)
            with closing(sqlite3.connect(copy)) as database:
                sculpts = database.execute("SELECT count(*) FROM sculpt").fetchone()[0]
                version = database.execute("SELECT version_num FROM alembic_version").fetchone()[0]
            files = [p for name in FOLDERS for p in sorted((root / name).glob("*")) if not p.name.startswith(".")]
            mark = {
                "version": version,
                "made": time.strftime("%Y-%m-%d %H:%M:%S"),
                "files": len(files),
                "sculpts": sculpts,
            }
            with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as z:
                z.write(copy, DATABASE)
                for path in files:
                    z.write(path, f"{path.parent.name}/{path.name}")
                z.writestr(MARK, json.dumps(mark))  # last: a file that was cut off has none
            os.chmod(part, 0o600)
            part.replace(to)
    except OSError as e:
        raise BackupError(f"the backup could not be written: {e.strerror or e}") from e
    finally:
        part.unlink(missing_ok=True)
    return {"files": len(files), "sculpts": sculpts}


def _fetch_shared(root: Path, settings: Settings) -> None:
    """Have everything here that lies in the shared files."""
    if not settings.files:
        return
    shared = Shared(settings.files)
    for folder in FOLDERS:
        for name in shared.entries(folder):
            path = root / folder / Path(name).name
            if not path.exists():
                shared.fetch(name, path)


def restore(file: Path, root: Path) -> dict[str, int]:
    """Restore a backup into an empty data folder; it appears there whole or not at all.

    Raises:
        BackupError: the folder is not empty, the file is cut off, garbled or no backup, or a newer Dusk Lamp made it.
    """
    if root.exists() and any(root.iterdir()):
        raise BackupError(
            f"{root} is not empty; restore into a new folder, look at it, then move it where you want it"
        )
    folder = root.with_name(f".{root.name}.restoring")
    shutil.rmtree(folder, ignore_errors=True)
    try:
        with zipfile.ZipFile(file) as z:
            names = z.namelist()
            if MARK not in names or DATABASE not in names:
                raise BackupError(f"{file.name} is cut off, or no backup of Dusk Lamp's; nothing was touched")
            mark = json.loads(z.read(MARK))
            if mark["version"] not in revisions():
                raise BackupError("this backup was made by a newer Dusk Lamp; restore it with that one")
            if sum(entry.file_size for entry in z.infolist()) > MOST_UNPACKED_BYTES:
                raise BackupError("this backup unpacks to more than any shelf holds; it was not opened")
            wanted = [n for n in names if n == DATABASE or _ours(n)]
            if len(wanted) != mark["files"] + 1:
                raise BackupError(f"{file.name} lacks some of its files; nothing was touched")
            if z.testzip() is not None:
                raise BackupError(f"{file.name} is damaged; nothing was touched")
            folder.mkdir(mode=0o700, parents=True)
            for name in wanted:
                target = folder / name
                target.parent.mkdir(exist_ok=True)
                with z.open(name) as source, target.open("wb") as out:
                    shutil.copyfileobj(source, out)
                os.chmod(target, 0o600)
        with closing(sqlite3.connect(folder / DATABASE)) as database:
            if database.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                raise BackupError("the database in this backup is damaged; nothing was touched")
        if root.exists():
            root.rmdir()
        folder.replace(root)
    except (zipfile.BadZipFile, KeyError, ValueError, sqlite3.DatabaseError, EOFError) as e:
        if isinstance(e, BackupError):
            raise
        raise BackupError(
            f"{file.name} is cut off or garbled, or no backup of Dusk Lamp's; nothing was touched"
        ) from e
    except OSError as e:
        raise BackupError(f"the backup could not be restored: {e.strerror or e}; nothing was touched") from e
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    return {"files": int(mark["files"]), "sculpts": int(mark["sculpts"])}


def _ours(name: str) -> bool:
    """Whether an entry is one of the two folders' plain files: never a path that leads elsewhere."""
    folder, slash, file_name = name.partition("/")
    return bool(slash) and folder in FOLDERS and file_name == Path(file_name).name and not file_name.startswith(".")
