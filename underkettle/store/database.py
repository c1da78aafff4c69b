"""One SQLite file, used by many threads: whole writes, and faults in plain words.

Every write is a transaction that is taken back on any failure, whatever raised it; while one is
open no other thread sees or joins it.
"""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

_UNWRITABLE = ("SQLITE_FULL", "SQLITE_READONLY", "SQLITE_PERM")
_BUSY = ("SQLITE_BUSY", "SQLITE_LOCKED", "SQLITE_INTERRUPT", "SQLITE_NOMEM")


class StoreFault(Exception):
    """What is kept cannot be read or written; the text is a whole sentence."""


class Damaged(StoreFault):
    """A file does not hold what it should."""


class Unwritable(StoreFault):
    """Nothing can be written: no space is left, or it is not allowed."""


class Busy(StoreFault):
    """Somebody else held the file for longer than could be waited."""


def plain(error: BaseException, path: Path) -> StoreFault:
    """The same fault in words for whoever works with the program."""
    name = str(getattr(error, "sqlite_errorname", ""))
    if "full" in str(error) or name.startswith("SQLITE_FULL") or _no_space(error):
        return Unwritable(f"There is no space left where {path} lies: free some, then go on.")
    if name.startswith(_UNWRITABLE) or isinstance(error, PermissionError):
        return Unwritable(f"{path} may not be written: see to its permissions, then go on.")
    if name.startswith(_BUSY):
        return Busy(f"{path} is held by another program: try again in a moment.")
    return Damaged(f"{path} is damaged and cannot be read ({error}).")


def make_folder(path: Path) -> None:
    """Make a folder of a home, and what it lies in. Raises Unwritable."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except (FileExistsError, NotADirectoryError) as error:
        raise Unwritable(
            f"{path} is a file, and a folder is wanted: name another with --home."
        ) from error
    except OSError as error:
        raise plain(error, path) from error


def _no_space(error: BaseException) -> bool:
    return isinstance(error, OSError) and error.errno in (28, 122)  # no space, over quota


class Database:
    """A connection that threads share. schema : made in a new file; version : of that schema."""

    def __init__(self, path: Path, schema: str, version: int, new: bool = True) -> None:
        self.path = path
        self._lock = threading.RLock()
        if not new and not path.exists():
            raise Damaged(f"{path} is gone.")
        try:
            self._db = sqlite3.connect(
                path, timeout=30, isolation_level=None, check_same_thread=False
            )
        except sqlite3.Error as error:
            raise plain(error, path) from error
        try:
            found = int(self._db.execute("pragma user_version").fetchone()[0])
            tables = self._db.execute("select count(*) from sqlite_master").fetchone()[0]
            if found != version and (tables or not new):
                raise Damaged(f"{path} does not hold what this version of the program keeps there.")
            self._db.execute("pragma journal_mode=wal")
            self._db.execute("pragma synchronous=normal")
            self._db.execute("pragma foreign_keys=on")
            if found != version:
                self._db.executescript(
                    f"begin immediate; {schema}; pragma user_version={version}; commit;"
                )
        except sqlite3.Error as error:
            self._db.close()
            raise plain(error, path) from error
        except StoreFault:
            self._db.close()
            raise

    def close(self) -> None:
        self._db.close()

    @contextmanager
    def whole(self) -> Iterator[None]:
        """Everything inside is written, or nothing. One inside another joins it."""
        with self._lock:
            if self._db.in_transaction:
                yield
                return
            try:
                self._db.execute("begin immediate")
                try:
                    yield
                    self._db.execute("commit")
                except BaseException:
                    if self._db.in_transaction:  # a full disk may have ended it already
                        self._db.execute("rollback")
                    raise
            except sqlite3.Error as error:
                raise plain(error, self.path) from error

    def write(self, sql: str, values: Sequence[Any] = ()) -> sqlite3.Cursor:
        """One statement, whole. Text that is no UTF-8 raises UnicodeEncodeError and changes
        nothing.
        """
        with self.whole():
            return self._db.execute(sql, values)

    def write_many(self, sql: str, rows: Sequence[Sequence[Any]]) -> None:
        with self.whole():
            self._db.executemany(sql, rows)

    def rows(self, sql: str, values: Sequence[Any] = ()) -> list[Any]:
        """What is asked for; nothing, where a number is asked for that no row can hold."""
        return self._looked(sql, values, sqlite3.Cursor.fetchall) or []

    def one(self, sql: str, values: Sequence[Any] = ()) -> Any | None:
        """The first row, or None."""
        return self._looked(sql, values, sqlite3.Cursor.fetchone)

    def _looked(
        self, sql: str, values: Sequence[Any], take: Callable[[sqlite3.Cursor], Any]
    ) -> Any:
        try:
            with self._lock:
                return take(self._db.execute(sql, values))
        except OverflowError:
            return None
        except sqlite3.Error as error:
            raise plain(error, self.path) from error

    def copy_to(self, path: Path) -> None:
        """A whole copy of the file as it stands, made while it is in use."""
        try:
            target = sqlite3.connect(path)
            try:
                with self._lock:
                    self._db.backup(target)
            finally:
                target.close()
        except sqlite3.Error as error:
            raise plain(error, path) from error
