"""One SQLite file per run: frames, watches, log, checkpoints, orders.

A frame, its watches and log lines are written in one transaction, so that a killed process leaves
whole frames only.
"""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.store.packing import THUMB, even_sample, expand, pack, squeeze, unpack

Array = np.ndarray

SCHEMA = """
create table if not exists meta(key text primary key, value text not null);
create table if not exists frames(
  id integer primary key, stage text not null, axis text not null, value real not null,
  step integer not null, clock real not null, readouts text not null default '{}',
  unique(stage, axis, value));
create table if not exists fields(
  frame integer not null references frames(id) on delete cascade, name text not null,
  rows integer not null, columns integer not null, low real, high real,
  thumb blob, thumb_rows integer, thumb_columns integer, primary key(frame, name));
create table if not exists chunks(
  frame integer not null, name text not null, part integer not null, data blob not null,
  primary key(frame, name, part));
create table if not exists watches(
  step integer primary key, time real not null, data text not null);
create table if not exists log(
  id integer primary key, clock real not null, kind text not null, text text not null,
  time real not null, step integer not null);
create table if not exists checkpoints(id integer primary key, clock real not null,
  step integer not null, data blob not null);
create table if not exists orders(id integer primary key, kind text not null,
  payload text not null default '{}', clock real not null, done integer not null default 0);
create table if not exists live(id integer primary key check (id = 1), name text, step integer,
  time real, rows integer, columns integer, data blob);
"""


@dataclass(frozen=True)
class Frame:
    id: int
    stage: str
    axis: str
    value: float
    step: int
    readouts: dict[str, Any]


class RunFile:
    """Reads and writes one run's file. Safe to open from several processes."""

    def __init__(self, path: str | Path) -> None:
        self.path = Path(path)
        self.db = sqlite3.connect(self.path, timeout=30, isolation_level=None,
                                  check_same_thread=False)
        self.db.execute("pragma journal_mode=wal")
        self.db.execute("pragma synchronous=normal")
        self.db.execute("pragma busy_timeout=30000")
        if not self.db.execute("select name from sqlite_master where name = 'live'").fetchone():
            self.db.executescript(SCHEMA)

    def close(self) -> None:
        self.db.close()

    @contextmanager
    def whole(self) -> Iterator[None]:
        """Everything inside is written, or nothing."""
        self.db.execute("begin immediate")
        try:
            yield
        except BaseException:
            self.db.execute("rollback")
            raise
        self.db.execute("commit")

    # ------------------------------------------------------------ meta

    def set(self, **values: Any) -> None:
        """All of them at once: who reads a status never sees the result of the one before."""
        if not self.db.in_transaction:
            with self.whole():
                self.set(**values)
            return
        self.db.executemany(
            "insert into meta values(?, ?) on conflict(key) do update set value = excluded.value",
            [(k, json.dumps(v)) for k, v in values.items()])

    def get(self, key: str, default: Any = None) -> Any:
        row = self.db.execute("select value from meta where key = ?", (key,)).fetchone()
        return json.loads(row[0]) if row else default

    # ------------------------------------------------------------ frames

    def add_frame(self, stage: str, axis: str, value: float, step: int,
                  arrays: Mapping[str, Array], readouts: Mapping[str, Any], x: Array,
                  y: Array) -> None:
        """Inside `whole`. A frame made again after a resume replaces its twin."""
        old = self.db.execute("select id from frames where stage = ? and axis = ? and value = ?",
                              (stage, axis, value)).fetchone()
        if old:
            for table, key in (("chunks", "frame"), ("fields", "frame"), ("frames", "id")):
                self.db.execute(f"delete from {table} where {key} = ?", old)
        frame = self.db.execute(
            "insert into frames(stage, axis, value, step, clock, readouts) values(?,?,?,?,?,?)",
            (stage, axis, value, step, time.time(), json.dumps(readouts))).lastrowid
        for name, values in arrays.items():
            finite = values[np.isfinite(values)]
            low, high = ((float(finite.min()), float(finite.max())) if finite.size
                         else (None, None))
            small = even_sample(values, x, y, THUMB)
            self.db.execute(
                "insert into fields values(?,?,?,?,?,?,?,?,?)",
                (frame, name, *values.shape, low, high, squeeze(small.tobytes()), *small.shape))
            self.db.executemany("insert into chunks values(?,?,?,?)",
                                [(frame, name, k, c) for k, c in enumerate(pack(values))])

    def frames(self) -> list[Frame]:
        rows = self.db.execute(
            "select id, stage, axis, value, step, readouts from frames order by step, id")
        return [Frame(i, stage, axis, value, step, json.loads(readouts))
                for i, stage, axis, value, step, readouts in rows]

    def frame(self, frame: int) -> Frame | None:
        row = self.db.execute("select id, stage, axis, value, step, readouts from frames "
                              "where id = ?", (frame,)).fetchone()
        if row is None:
            return None
        return Frame(row[0], row[1], row[2], row[3], row[4], json.loads(row[5]))

    def frame_count(self) -> int:
        return int(self.db.execute("select count(*) from frames").fetchone()[0])

    def last_frame(self) -> int | None:
        """The id of the newest one."""
        row = self.db.execute("select id from frames order by step desc, id desc limit 1"
                              ).fetchone()
        return None if row is None else int(row[0])

    def field(self, frame: int, name: str) -> tuple[Array, float | None, float | None] | None:
        """The field as float32 (ny, nx) with its range; None when there is none."""
        row = self.db.execute("select rows, columns, low, high from fields where frame = ? "
                              "and name = ?", (frame, name)).fetchone()
        if row is None:
            return None
        chunks = [r[0] for r in self.db.execute(
            "select data from chunks where frame = ? and name = ? order by part", (frame, name))]
        return unpack(chunks, (row[0], row[1])), row[2], row[3]

    def ranges(self, name: str) -> tuple[float, float] | None:
        """Lowest and highest value of a field over all frames."""
        low, high = self.db.execute("select min(low), max(high) from fields where name = ?",
                                    (name,)).fetchone()
        return None if low is None else (low, high)

    def thumb(self, frame: int, name: str) -> tuple[Array, float, float] | None:
        row = self.db.execute(
            "select thumb, thumb_rows, thumb_columns, low, high from fields where frame = ? "
            "and name = ?", (frame, name)).fetchone()
        if row is None or row[3] is None:
            return None
        values = np.frombuffer(expand(row[0]), np.float32).reshape(row[1], row[2])
        return values, row[3], row[4]

    def field_names(self, frame: int) -> list[str]:
        return [r[0] for r in self.db.execute(
            "select name from fields where frame = ? order by rowid", (frame,))]

    # ------------------------------------------------------------ watches, log

    def add_watch(self, step: int, now: float, data: Mapping[str, Any]) -> None:
        self.db.execute("insert or replace into watches values(?,?,?)",
                        (step, now, json.dumps(data)))

    def watches(self, after: int = -1, most: int = 2000) -> list[dict[str, Any]]:
        """Recorded histories after a step, thinned to about `most` rows, newest kept."""
        (count,) = self.db.execute("select count(*) from watches where step > ?",
                                   (after,)).fetchone()
        stride = max(1, -(-count // most))
        rows = self.db.execute(
            "select step, time, data from (select *, row_number() over (order by step desc) as n "
            "from watches where step > ?) where (n - 1) % ? = 0 order by step", (after, stride))
        return [{"step": s, "time": t, **json.loads(d)} for s, t, d in rows]

    def add_log(self, text: str, kind: str, now: float, step: int) -> None:
        """A line that a resume repeats (same step, same words) is kept once."""
        twin = self.db.execute("select 1 from log where step = ? and text = ?",
                               (step, text)).fetchone()
        if not twin:
            self.db.execute("insert into log(clock, kind, text, time, step) values(?,?,?,?,?)",
                            (time.time(), kind, text, now, step))

    def log_lines(self) -> int:
        return int(self.db.execute("select count(*) from log").fetchone()[0])

    def log(self) -> list[dict[str, Any]]:
        rows = self.db.execute("select id, clock, kind, text, time, step from log order by id")
        return [dict(zip(("id", "clock", "kind", "text", "time", "step"), r, strict=True))
                for r in rows]

    # ------------------------------------------------------------ checkpoints, orders, live

    def add_checkpoint(self, data: bytes, step: int) -> None:
        """Keeps the two newest."""
        with self.whole():
            self.db.execute("insert into checkpoints(clock, step, data) values(?,?,?)",
                            (time.time(), step, squeeze(data)))
            self.db.execute("delete from checkpoints where id not in "
                            "(select id from checkpoints order by id desc limit 2)")

    def checkpoint(self) -> bytes | None:
        row = self.db.execute("select data from checkpoints order by id desc limit 1").fetchone()
        return expand(row[0]) if row else None

    def order(self, kind: str, payload: Mapping[str, Any] | None = None) -> None:
        self.db.execute("insert into orders(kind, payload, clock) values(?,?,?)",
                        (kind, json.dumps(payload or {}), time.time()))

    def take_orders(self) -> list[tuple[str, dict[str, Any]]]:
        rows = self.db.execute("select id, kind, payload from orders where done = 0 "
                               "order by id").fetchall()
        if rows:
            self.db.execute("update orders set done = 1 where id <= ?", (rows[-1][0],))
        return [(kind, json.loads(payload)) for _, kind, payload in rows]

    def is_ordered(self, kind: str) -> bool:
        """Whether an order of this kind waits."""
        return self.db.execute("select 1 from orders where done = 0 and kind = ? limit 1",
                               (kind,)).fetchone() is not None

    def set_live(self, name: str, step: int, now: float, values: Array) -> None:
        self.db.execute("insert or replace into live values(1,?,?,?,?,?,?)",
                        (name, step, now, *values.shape, squeeze(values.tobytes())))

    def live(self) -> tuple[str, int, float, Array] | None:
        row = self.db.execute("select name, step, time, rows, columns, data from live").fetchone()
        if row is None:
            return None
        values = np.frombuffer(expand(row[5]), np.float32).reshape(row[3], row[4])
        return row[0], row[1], row[2], values
