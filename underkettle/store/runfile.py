"""One SQLite file per run: frames, watches, log, checkpoints, orders.

A frame, its watches and log lines are written in one transaction, so that a killed process leaves
whole frames only.
"""

from __future__ import annotations

import json
import time
from collections.abc import Mapping
from contextlib import AbstractContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from underkettle.store.database import Damaged, Database
from underkettle.store.packing import (
    THUMB,
    PackingError,
    even_sample,
    expand,
    pack,
    squeeze,
    unpack,
)

Array = np.ndarray

Far = Mapping[str, tuple[float, float]]  # part of the vessel -> how far along x and y (m)
VERSION = 4
SCHEMA = """
create table meta(key text primary key, value text not null);
create table frames(
  id integer primary key, stage text not null, axis text not null, value real not null,
  step integer not null, clock real not null, readouts text not null default '{}',
  far text not null default '{}', unique(stage, step));
create table fields(
  frame integer not null references frames(id) on delete cascade, name text not null,
  rows integer not null, columns integer not null, low real, high real,
  thumb blob, thumb_rows integer, thumb_columns integer, primary key(frame, name));
create table chunks(
  frame integer not null, name text not null, part integer not null, data blob not null,
  primary key(frame, name, part));
create table listings(
  frame integer not null references frames(id) on delete cascade, name text not null,
  rows integer not null, columns integer not null, data blob not null, primary key(frame, name));
create table watches(
  step integer primary key, time real not null, data text not null);
create table log(
  id integer primary key, clock real not null, kind text not null, text text not null,
  time real not null, step integer not null);
create table checkpoints(id integer primary key, clock real not null,
  step integer not null, data blob not null);
create table orders(id integer primary key, kind text not null,
  payload text not null default '{}', clock real not null, done integer not null default 0);
create table live(id integer primary key check (id = 1), name text, step integer,
  time real, rows integer, columns integer, data blob, far text not null default '{}');
"""


@dataclass(frozen=True)
class Frame:
    """Where a frame stands and what was read. far : parts of the vessel that had moved, and by how
    much along x and y (m).
    """

    id: int
    stage: str
    axis: str
    value: float
    step: int
    readouts: dict[str, Any]
    far: Far


def _far(kept: Any) -> Far:
    return {name: (x, y) for name, (x, y) in kept.items()}


class RunFile:
    """Reads and writes one run's file. Safe to open from several processes."""

    def __init__(self, path: str | Path, new: bool = False) -> None:
        """new : the file may be made. Raises StoreFault."""
        self.path = Path(path)
        self.db = Database(self.path, SCHEMA, VERSION, new)

    def close(self) -> None:
        self.db.close()

    def whole(self) -> AbstractContextManager[None]:
        """Everything inside is written, or nothing."""
        return self.db.whole()

    def _damaged(self, what: str, error: Exception) -> Damaged:
        return Damaged(f"{self.path} is damaged: {what} cannot be read ({error}).")

    def _json(self, text: str) -> Any:
        try:
            return json.loads(text)
        except ValueError as error:
            raise self._damaged("what it tells", error) from error

    # ------------------------------------------------------------ meta

    def set(self, **values: Any) -> None:
        """All of them at once: who reads a status never sees the result of the one before."""
        self.db.write_many(
            "insert into meta values(?, ?) on conflict(key) do update set value = excluded.value",
            [(k, json.dumps(v)) for k, v in values.items()],
        )

    def get(self, key: str, default: Any = None) -> Any:
        row = self.db.one("select value from meta where key = ?", (key,))
        return self._json(row[0]) if row else default

    # ------------------------------------------------------------ frames

    def add_frame(
        self,
        stage: str,
        axis: str,
        value: float,
        step: int,
        arrays: Mapping[str, Array],
        readouts: Mapping[str, Any],
        x: Array,
        y: Array,
        listings: Mapping[str, Array] | None = None,
        far: Far | None = None,
    ) -> None:
        """A frame made again after a resume replaces its twin: the one of its stage and step."""
        with self.whole():
            old = self.db.one("select id from frames where stage = ? and step = ?", (stage, step))
            if old:
                for table in ("chunks", "fields", "listings"):
                    self.db.write(f"delete from {table} where frame = ?", old)
                self.db.write("delete from frames where id = ?", old)
            frame = self.db.write(
                "insert into frames(stage, axis, value, step, clock, readouts, far)"
                " values(?,?,?,?,?,?,?)",
                (
                    stage,
                    axis,
                    value,
                    step,
                    time.time(),
                    json.dumps(readouts),
                    json.dumps(dict(far or {})),
                ),
            ).lastrowid
            for name, values in arrays.items():
                finite = values[np.isfinite(values)]
                low, high = (
                    (float(finite.min()), float(finite.max())) if finite.size else (None, None)
                )
                small = even_sample(values, x, y, THUMB)
                self.db.write(
                    "insert into fields values(?,?,?,?,?,?,?,?,?)",
                    (frame, name, *values.shape, low, high, squeeze(small.tobytes()), *small.shape),
                )
                self.db.write_many(
                    "insert into chunks values(?,?,?,?)",
                    [(frame, name, k, c) for k, c in enumerate(pack(values))],
                )

            for name, rows in (listings or {}).items():
                data = squeeze(np.ascontiguousarray(rows, np.float32).tobytes())
                self.db.write(
                    "insert into listings values(?,?,?,?,?)", (frame, name, *rows.shape, data)
                )

    def listing(self, frame: int, name: str) -> Array | None:
        """Things followed one by one, a row each, as float32; None where the frame has none of that
        name. Raises Damaged.
        """
        row = self.db.one(
            "select rows, columns, data from listings where frame = ? and name = ?", (frame, name)
        )
        if row is None:
            return None
        try:
            return np.frombuffer(expand(row[2]), np.float32).reshape(row[0], row[1])
        except (PackingError, ValueError) as error:
            raise self._damaged(f"{name} in frame {frame}", error) from error

    def frames(self) -> list[Frame]:
        return [
            self._frame(row)
            for row in self.db.rows(
                "select id, stage, axis, value, step, readouts, far from frames order by step, id"
            )
        ]

    def frame(self, frame: int) -> Frame | None:
        row = self.db.one(
            "select id, stage, axis, value, step, readouts, far from frames where id = ?", (frame,)
        )
        return None if row is None else self._frame(row)

    def _frame(self, row: Any) -> Frame:
        return Frame(
            row[0], row[1], row[2], row[3], row[4], self._json(row[5]), _far(self._json(row[6]))
        )

    def frame_count(self) -> int:
        return self._count("frames")

    def _count(self, table: str) -> int:
        row = self.db.one(f"select count(*) from {table}")
        return int(row[0]) if row else 0

    def last_frame(self) -> int | None:
        """The id of the newest one."""
        row = self.db.one("select id from frames order by step desc, id desc limit 1")
        return None if row is None else int(row[0])

    def field(self, frame: int, name: str) -> tuple[Array, float | None, float | None] | None:
        """The field as float32 (ny, nx) with its range; None when there is none. Raises Damaged
        where its bytes are not those that were written.
        """
        row = self.db.one(
            "select rows, columns, low, high from fields where frame = ? and name = ?",
            (frame, name),
        )
        if row is None:
            return None
        chunks = [
            r[0]
            for r in self.db.rows(
                "select data from chunks where frame = ? and name = ? order by part", (frame, name)
            )
        ]
        try:
            return unpack(chunks, (row[0], row[1])), row[2], row[3]
        except PackingError as error:
            raise self._damaged(f"{name} in frame {frame}", error) from error

    def ranges(self, name: str) -> tuple[float, float] | None:
        """Lowest and highest value of a field over all frames."""
        row = self.db.one("select min(low), max(high) from fields where name = ?", (name,))
        return None if row is None or row[0] is None else (row[0], row[1])

    def thumb(self, frame: int, name: str) -> tuple[Array, float, float] | None:
        row = self.db.one(
            "select thumb, thumb_rows, thumb_columns, low, high from fields "
            "where frame = ? and name = ?",
            (frame, name),
        )
        if row is None or row[3] is None:
            return None
        return self._small(row[0], row[1], row[2], f"the small picture of {name}"), row[3], row[4]

    def _small(self, data: bytes, rows: int, columns: int, what: str) -> Array:
        try:
            return np.frombuffer(expand(data), np.float32).reshape(rows, columns)
        except (PackingError, ValueError) as error:
            raise self._damaged(what, error) from error

    def field_names(self, frame: int) -> list[str]:
        return [
            r[0]
            for r in self.db.rows(
                "select name from fields where frame = ? order by rowid", (frame,)
            )
        ]

    # ------------------------------------------------------------ watches, log

    def add_watch(self, step: int, now: float, data: Mapping[str, Any]) -> None:
        self.db.write("insert or replace into watches values(?,?,?)", (step, now, json.dumps(data)))

    def watches(self, after: int = -1, most: int = 2000) -> list[dict[str, Any]]:
        """Recorded histories after a step, thinned to about `most` rows, newest kept."""
        row = self.db.one("select count(*) from watches where step > ?", (after,))
        stride = max(1, -(-int(row[0] if row else 0) // most))
        rows = self.db.rows(
            "select step, time, data from (select *, row_number() over (order by step desc) as n "
            "from watches where step > ?) where (n - 1) % ? = 0 order by step",
            (after, stride),
        )
        return [{"step": s, "time": t, **self._json(d)} for s, t, d in rows]

    def newest_watch(self) -> dict[str, Any] | None:
        row = self.db.one("select step, time, data from watches order by step desc limit 1")
        return None if row is None else {"step": row[0], "time": row[1], **self._json(row[2])}

    def add_log(self, text: str, kind: str, now: float, step: int) -> None:
        """A line that a resume repeats (same step, same words) is kept once."""
        with self.whole():
            if not self.db.one("select 1 from log where step = ? and text = ?", (step, text)):
                self.db.write(
                    "insert into log(clock, kind, text, time, step) values(?,?,?,?,?)",
                    (time.time(), kind, text, now, step),
                )

    def log_lines(self) -> int:
        return self._count("log")

    def log(self) -> list[dict[str, Any]]:
        rows = self.db.rows("select id, clock, kind, text, time, step from log order by id")
        return [
            dict(zip(("id", "clock", "kind", "text", "time", "step"), r, strict=True)) for r in rows
        ]

    # ------------------------------------------------------------ checkpoints, orders, live

    def add_checkpoint(self, data: bytes, step: int) -> None:
        """Keeps the two newest."""
        with self.whole():
            self.db.write(
                "insert into checkpoints(clock, step, data) values(?,?,?)",
                (time.time(), step, squeeze(data)),
            )
            self.db.write(
                "delete from checkpoints where id not in "
                "(select id from checkpoints order by id desc limit 2)"
            )

    def checkpoint(self) -> bytes | None:
        """The newest that is sound; None before the first. Raises Damaged where none is sound."""
        trouble: PackingError | None = None
        for (data,) in self.db.rows("select data from checkpoints order by id desc"):
            try:
                return expand(data)
            except PackingError as error:
                trouble = error
        if trouble is not None:
            raise self._damaged("its checkpoints", trouble)
        return None

    def order(self, kind: str, payload: Mapping[str, Any] | None = None) -> None:
        self.db.write(
            "insert into orders(kind, payload, clock) values(?,?,?)",
            (kind, json.dumps(payload or {}), time.time()),
        )

    def take_orders(self) -> list[tuple[str, dict[str, Any]]]:
        rows = self.db.rows("select id, kind, payload from orders where done = 0 order by id")
        if rows:
            self.db.write("update orders set done = 1 where id <= ?", (rows[-1][0],))
        return [(kind, self._json(payload)) for _, kind, payload in rows]

    def is_ordered(self, kind: str) -> bool:
        """Whether an order of this kind waits."""
        return (
            self.db.one("select 1 from orders where done = 0 and kind = ? limit 1", (kind,))
            is not None
        )

    def set_live(self, name: str, step: int, now: float, values: Array, far: Far) -> None:
        self.db.write(
            "insert or replace into live values(1,?,?,?,?,?,?,?)",
            (name, step, now, *values.shape, squeeze(values.tobytes()), json.dumps(dict(far))),
        )

    def live(self) -> tuple[str, int, float, Array, Far] | None:
        """Name, step, time and values of the live picture, and parts that had moved (m)."""
        row = self.db.one("select name, step, time, rows, columns, data, far from live")
        if row is None:
            return None
        values = self._small(row[5], row[3], row[4], "the live picture")
        return row[0], row[1], row[2], values, _far(self._json(row[6]))


def mark_of(path: Path) -> str:
    """Tells one state of a run file from another: sizes and times of what SQLite keeps of it."""
    seen = []
    for end in ("", "-wal"):
        try:
            found = path.with_name(path.name + end).stat()
        except OSError:
            continue
        if found.st_size:
            seen.append(f"{found.st_size} {found.st_mtime_ns}")
    return ", ".join(seen)
