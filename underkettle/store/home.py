"""The home folder: one server at a time, checked backup copies of the library, bringing one back."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import sqlite3
import time
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from underkettle.store.database import Busy, Damaged, make_folder, plain
from underkettle.store.library import Library

GENERATIONS = 2
BACKUP_EVERY = 3600.0  # s


class Hold:
    """A home held by one server. The system lets go of it when the process ends, however it ends,
    so that what a killed one held is taken over.
    """

    def __init__(self, home: Path, words: str) -> None:
        """words : what others are told of the holder. Raises Busy, Unwritable."""
        self.path = home / "held"
        make_folder(home)
        try:
            self._file: IO[str] = self.path.open("a+")
        except OSError as error:
            raise plain(error, home) from error
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            told = _told(self.path)
            self._file.close()
            raise Busy(
                f"{home} is in use by another server ({told}): stop that one, or name "
                "another folder with --home."
            ) from error
        self._file.truncate(0)
        self._file.write(json.dumps({"process": os.getpid(), "since": time.time(), "words": words}))
        self._file.flush()

    def release(self) -> None:
        self._file.close()


def _told(path: Path) -> str:
    try:
        held: dict[str, Any] = json.loads(path.read_text())
        since = time.strftime("%Y-%m-%d %H:%M", time.localtime(float(held["since"])))
        return f"process {held['process']}, {held['words']}, since {since}"
    except (OSError, ValueError, KeyError, TypeError):
        return "which one is not said"


@dataclass(frozen=True)
class Copy:
    path: Path
    made: float


def copies(home: Path) -> list[Copy]:
    """Backup copies of the library, newest first."""
    paths = [home / "backup" / f"library-{k}.sqlite" for k in range(1, GENERATIONS + 1)]
    return [Copy(p, p.stat().st_mtime) for p in paths if p.exists()]


def back_up(library: Library) -> Copy | None:
    """Keep a checked copy of the library; the one before it is kept too. None where the library
    holds nothing yet. Raises Damaged where it is not sound: then the copies stay as they are.
    """
    if not library.db.one("select 1 from cases limit 1"):
        return None
    folder = library.home / "backup"
    fresh = folder / "library-new.sqlite"
    try:
        folder.mkdir(exist_ok=True)
        fresh.unlink(missing_ok=True)
        library.db.copy_to(fresh)
        if not _is_sound(fresh):
            fresh.unlink(missing_ok=True)
            raise Damaged(f"{library.db.path} is damaged, so no copy was made of it.")
        for k in range(GENERATIONS, 1, -1):
            older = folder / f"library-{k - 1}.sqlite"
            if older.exists():
                older.replace(folder / f"library-{k}.sqlite")
        newest = folder / "library-1.sqlite"
        fresh.replace(newest)
    except OSError as error:
        raise plain(error, folder) from error
    return Copy(newest, newest.stat().st_mtime)


def _is_sound(path: Path) -> bool:
    try:
        db = sqlite3.connect(path)
        try:
            return bool(
                db.execute("pragma quick_check(1)").fetchone() == ("ok",)
                and db.execute("select count(*) from cases").fetchone()[0] > 0
            )
        finally:
            db.close()
    except sqlite3.Error:
        return False


def bring_back(home: Path, generation: int = 1) -> Copy:
    """Put a backup copy in the library's place; what stood there is kept beside it. Raises Busy
    while a server holds the home, Damaged where there is no sound copy.
    """
    hold = Hold(home, "bringing a copy back")
    try:
        path = home / "backup" / f"library-{generation}.sqlite"
        if not path.exists() or not _is_sound(path):
            raise Damaged(f"{path} is not there or not sound: there is nothing to bring back.")
        library = home / "library.sqlite"
        aside = home / f"library-before-{int(time.time())}.sqlite"
        for end in ("", "-wal", "-shm"):
            old = library.with_name(library.name + end)
            if old.exists():
                old.replace(aside.with_name(aside.name + end))
        shutil.copyfile(path, library)
        return Copy(path, path.stat().st_mtime)
    except OSError as error:
        raise plain(error, home) from error
    finally:
        hold.release()
