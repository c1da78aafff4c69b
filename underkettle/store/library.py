"""The library: one SQLite file with all cases, their edit journals, and where their runs are."""

from __future__ import annotations

import json
import secrets
import sqlite3
import threading
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

SCHEMA = """
create table if not exists cases(
  id text primary key, data text not null, created real not null, touched real not null,
  demo text, deleted integer not null default 0);
create table if not exists journal(
  case_id text not null, position integer not null, label text not null, before text not null,
  after text not null, clock real not null, primary key(case_id, position));
create table if not exists cursors(case_id text primary key, position integer not null);
create table if not exists runs(
  id text primary key, case_id text not null, number integer not null, created real not null,
  file text not null, deleted integer not null default 0);
create table if not exists materials(
  id text primary key, label text not null, source text not null, properties text not null);
"""


class Library:
    """Cases and runs under one home folder."""

    def __init__(self, home: str | Path) -> None:
        self.home = Path(home)
        (self.home / "runs").mkdir(parents=True, exist_ok=True)
        self.db = sqlite3.connect(self.home / "library.sqlite", timeout=30, isolation_level=None,
                                  check_same_thread=False)
        self.db.execute("pragma journal_mode=wal")
        self.db.execute("pragma busy_timeout=30000")
        self.db.executescript(SCHEMA)
        self._lock = threading.RLock()  # one writer of this process at a time

    def close(self) -> None:
        self.db.close()

    # ------------------------------------------------------------ cases

    def add_case(self, data: Mapping[str, Any], demo: str | None = None) -> str:
        case = secrets.token_hex(6)
        now = time.time()
        self.db.execute("insert into cases(id, data, created, touched, demo) values(?,?,?,?,?)",
                        (case, json.dumps(data), now, now, demo))
        return case

    def case(self, case: str) -> dict[str, Any] | None:
        row = self.db.execute("select data from cases where id = ? and deleted = 0",
                              (case,)).fetchone()
        return json.loads(row[0]) if row else None

    def cases(self) -> list[dict[str, Any]]:
        rows = self.db.execute("select id, data, touched, demo from cases where deleted = 0 "
                               "order by touched desc, rowid desc")
        return [{"id": i, "data": json.loads(d), "touched": t, "demo": demo}
                for i, d, t, demo in rows]

    def demo_case(self, demo: str) -> str | None:
        """The id under which a demo stands on the shelf, also if it was taken off."""
        row = self.db.execute("select id from cases where demo = ?", (demo,)).fetchone()
        return row[0] if row else None

    def set_deleted(self, case: str, deleted: bool) -> bool:
        done = self.db.execute("update cases set deleted = ? where id = ?", (int(deleted), case))
        return done.rowcount > 0

    # ------------------------------------------------------------ journal

    def edit(self, case: str, data: Mapping[str, Any], label: str) -> None:
        """Replace a case's data; what could be redone is forgotten."""
        with self._lock:
            before = self.case(case)
            if before is None:
                raise KeyError(case)
            position = self._cursor(case)
            self.db.execute("begin immediate")
            self.db.execute("delete from journal where case_id = ? and position > ?",
                            (case, position))
            self.db.execute(
                "insert into journal values(?,?,?,?,?,?)",
                (case, position + 1, label, json.dumps(before), json.dumps(data), time.time()))
            self._store(case, data, position + 1)
            self.db.execute("commit")

    def undo(self, case: str) -> str | None:
        """Take back the newest edit; its label, or None when there is none."""
        with self._lock:
            return self._undo(case)

    def _undo(self, case: str) -> str | None:
        position = self._cursor(case)
        row = self.db.execute("select label, before from journal where case_id = ? and "
                              "position = ?", (case, position)).fetchone()
        if row is None:
            return None
        self._store(case, json.loads(row[1]), position - 1)
        return str(row[0])

    def redo(self, case: str) -> str | None:
        with self._lock:
            return self._redo(case)

    def _redo(self, case: str) -> str | None:
        position = self._cursor(case) + 1
        row = self.db.execute("select label, after from journal where case_id = ? and "
                              "position = ?", (case, position)).fetchone()
        if row is None:
            return None
        self._store(case, json.loads(row[1]), position)
        return str(row[0])

    def journal(self, case: str) -> dict[str, Any]:
        """Labels of what can be undone and redone next."""
        position = self._cursor(case)
        labels = dict(self.db.execute("select position, label from journal where case_id = ?",
                                      (case,)).fetchall())
        return {"undo": labels.get(position), "redo": labels.get(position + 1),
                "count": len(labels)}

    def _cursor(self, case: str) -> int:
        row = self.db.execute("select position from cursors where case_id = ?", (case,)).fetchone()
        return row[0] if row else 0

    def _store(self, case: str, data: Mapping[str, Any], position: int) -> None:
        self.db.execute("update cases set data = ?, touched = ? where id = ?",
                        (json.dumps(data), time.time(), case))
        self.db.execute("insert into cursors values(?, ?) on conflict(case_id) do update set "
                        "position = excluded.position", (case, position))

    # ------------------------------------------------------------ materials of one's own

    def add_material(self, label: str, source: str, properties: Mapping[str, str]) -> str:
        """Keep a material; one of the same name is replaced."""
        material = f"own-{secrets.token_hex(6)}"
        with self._lock:
            self.db.execute("delete from materials where label = ?", (label,))
            self.db.execute("insert into materials values(?,?,?,?)",
                            (material, label, source, json.dumps(dict(properties))))
        return material

    def materials(self) -> list[dict[str, Any]]:
        rows = self.db.execute("select id, label, source, properties from materials order by label")
        return [{"id": i, "label": n, "source": s, "properties": json.loads(p)}
                for i, n, s, p in rows]

    def drop_material(self, material: str) -> bool:
        return self.db.execute("delete from materials where id = ?", (material,)).rowcount > 0

    # ------------------------------------------------------------ runs

    def add_run(self, case: str) -> tuple[str, int, Path]:
        """Room for a new run: its id, its number within the case, its file."""
        run = secrets.token_hex(6)
        (number,) = self.db.execute("select count(*) + 1 from runs where case_id = ?",
                                    (case,)).fetchone()
        file = self.home / "runs" / f"{run}.sqlite"
        self.db.execute("insert into runs(id, case_id, number, created, file) values(?,?,?,?,?)",
                        (run, case, number, time.time(), file.name))
        self.db.execute("update cases set touched = ? where id = ?", (time.time(), case))
        return run, number, file

    def runs(self, case: str | None = None) -> list[dict[str, Any]]:
        """Newest first."""
        query = "select id, case_id, number, created, file from runs where deleted = 0"
        rows = self.db.execute(query + (" and case_id = ?" if case else "")
                               + " order by created desc, rowid desc", (case,) if case else ())
        return [{"id": i, "case": c, "number": n, "created": t, "file": self.home / "runs" / f}
                for i, c, n, t, f in rows]

    def run(self, run: str) -> dict[str, Any] | None:
        return next((r for r in self.runs() if r["id"] == run), None)
