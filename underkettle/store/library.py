"""The library: one SQLite file with all cases, their edit journals, and where their runs are."""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from underkettle.store.database import Damaged, Database, StoreFault, make_folder, plain

VERSION = 3
SCHEMA = """
create table cases(
  id text primary key, data text not null, created real not null, touched real not null,
  demo text, deleted integer not null default 0, card text);
create table journal(
  case_id text not null, position integer not null, label text not null, before text not null,
  after text not null, clock real not null, primary key(case_id, position));
create table cursors(case_id text primary key, position integer not null);
create table runs(
  id text primary key, case_id text not null, number integer not null, created real not null,
  file text not null, deleted integer not null default 0, serves text not null default '',
  told text, mark text, last_frame integer, reopened integer not null default 0);
create index runs_of_case on runs(case_id, created);
create table materials(
  id text primary key, label text not null, source text not null, properties text not null);
"""
_RUN = "id, case_id, number, created, file, serves, told, mark, last_frame, reopened"


class Library:
    """Cases and runs under one home folder. Raises StoreFault where that cannot be used."""

    def __init__(self, home: str | Path) -> None:
        self.home = Path(home)
        make_folder(self.home)
        make_folder(self.home / "runs")
        self.db = Database(self.home / "library.sqlite", SCHEMA, VERSION)

    def close(self) -> None:
        self.db.close()

    # ------------------------------------------------------------ cases

    def add_case(
        self,
        data: Mapping[str, Any],
        demo: str | None = None,
        card: Mapping[str, Any] | None = None,
    ) -> str:
        """card : what the shelf shows of it, if that is known already."""
        case = secrets.token_hex(6)
        now = time.time()
        self.db.write(
            "insert into cases(id, data, created, touched, demo, card) values(?,?,?,?,?,?)",
            (case, json.dumps(data), now, now, demo, json.dumps(card) if card else None),
        )
        return case

    def case(self, case: str) -> dict[str, Any] | None:
        row = self.db.one("select data from cases where id = ? and deleted = 0", (case,))
        return _read(row[0], self.db.path) if row else None

    def cards(self) -> list[dict[str, Any]]:
        """Every case on the shelf, newest first: id, when it was touched, demo, its card or None."""
        rows = self.db.rows(
            "select id, touched, demo, card from cases where deleted = 0 "
            "order by touched desc, rowid desc"
        )
        return [
            {"id": i, "touched": t, "demo": demo, "card": json.loads(card) if card else None}
            for i, t, demo, card in rows
        ]

    def without_card(self, most: int) -> list[str]:
        """Some cases whose card has not been made."""
        return [
            row[0]
            for row in self.db.rows(
                "select id from cases where deleted = 0 and card is null limit ?", (most,)
            )
        ]

    def drop_cards(self, made_by: str) -> None:
        """Forget cards that another version of the program made."""
        self.db.write(
            "update cases set card = null where card is not null and "
            "json_extract(card, '$.made_by') is not ?",
            (made_by,),
        )

    def set_card(self, case: str, card: Mapping[str, Any], data: Mapping[str, Any]) -> None:
        """Keep what the shelf shows of a case, unless the case is no longer `data`."""
        self.db.write(
            "update cases set card = ? where id = ? and data = ?",
            (json.dumps(card), case, json.dumps(data)),
        )

    def demo_case(self, demo: str) -> str | None:
        """The id under which a demo stands on the shelf, also if it was taken off."""
        row = self.db.one("select id from cases where demo = ?", (demo,))
        return row[0] if row else None

    def set_deleted(self, case: str, deleted: bool) -> bool:
        return (
            self.db.write(
                "update cases set deleted = ? where id = ?", (int(deleted), case)
            ).rowcount
            > 0
        )

    # ------------------------------------------------------------ journal

    def edit(self, case: str, data: Mapping[str, Any], label: str) -> None:
        """Replace a case's data; what could be redone is forgotten."""
        with self.db.whole():
            before = self.case(case)
            if before is None:
                raise KeyError(case)
            position = self._cursor(case)
            self.db.write(
                "delete from journal where case_id = ? and position > ?", (case, position)
            )
            self.db.write(
                "insert into journal values(?,?,?,?,?,?)",
                (case, position + 1, label, json.dumps(before), json.dumps(data), time.time()),
            )
            self._store(case, data, position + 1)

    def undo(self, case: str) -> str | None:
        """Take back the newest edit; its label, or None when there is none."""
        with self.db.whole():
            position = self._cursor(case)
            row = self.db.one(
                "select label, before from journal where case_id = ? and position = ?",
                (case, position),
            )
            if row is None:
                return None
            self._store(case, _read(row[1], self.db.path), position - 1)
            return str(row[0])

    def redo(self, case: str) -> str | None:
        with self.db.whole():
            position = self._cursor(case) + 1
            row = self.db.one(
                "select label, after from journal where case_id = ? and position = ?",
                (case, position),
            )
            if row is None:
                return None
            self._store(case, _read(row[1], self.db.path), position)
            return str(row[0])

    def journal(self, case: str) -> dict[str, Any]:
        """Labels of what can be undone and redone next."""
        position = self._cursor(case)
        labels = dict(
            self.db.rows(
                "select position, label from journal where case_id = ? and "
                "position between ? and ?",
                (case, position, position + 1),
            )
        )
        count = self.db.one("select count(*) from journal where case_id = ?", (case,))
        return {
            "undo": labels.get(position),
            "redo": labels.get(position + 1),
            "count": count[0] if count else 0,
        }

    def _cursor(self, case: str) -> int:
        row = self.db.one("select position from cursors where case_id = ?", (case,))
        return row[0] if row else 0

    def _store(self, case: str, data: Mapping[str, Any], position: int) -> None:
        self.db.write(
            "update cases set data = ?, touched = ?, card = null where id = ?",
            (json.dumps(data), time.time(), case),
        )
        self.db.write(
            "insert into cursors values(?, ?) on conflict(case_id) do update set "
            "position = excluded.position",
            (case, position),
        )

    # ------------------------------------------------------------ materials of one's own

    def add_material(self, label: str, source: str, properties: Mapping[str, str]) -> str:
        """Keep a material; one of the same name is replaced."""
        material = f"own-{secrets.token_hex(6)}"
        with self.db.whole():
            self.db.write("delete from materials where label = ?", (label,))
            self.db.write(
                "insert into materials values(?,?,?,?)",
                (material, label, source, json.dumps(dict(properties))),
            )
        return material

    def materials(self) -> list[dict[str, Any]]:
        rows = self.db.rows("select id, label, source, properties from materials order by label")
        return [
            {"id": i, "label": n, "source": s, "properties": json.loads(p)} for i, n, s, p in rows
        ]

    def drop_material(self, material: str) -> bool:
        return self.db.write("delete from materials where id = ?", (material,)).rowcount > 0

    # ------------------------------------------------------------ runs

    def add_run(self, case: str, make: Callable[[Path], None], serves: str = "") -> tuple[str, int]:
        """A new run: its id and its number within the case. `make` writes its file; where that
        fails nothing of the run is left.
        """
        run = secrets.token_hex(6)
        file = self.home / "runs" / f"{run}.sqlite"
        try:
            with self.db.whole():
                (number,) = self.db.one(
                    "select count(*) + 1 from runs where case_id = ?", (case,)
                ) or (1,)
                self.db.write(
                    "insert into runs(id, case_id, number, created, file, serves) "
                    "values(?,?,?,?,?,?)",
                    (run, case, number, time.time(), file.name, serves),
                )
                self.db.write("update cases set touched = ? where id = ?", (time.time(), case))
                make(file)
        except BaseException as error:
            remove_run_file(file)
            if isinstance(error, OSError):
                raise plain(error, file) from error
            raise
        return run, number

    def runs(
        self, case: str | None = None, most: int = -1, untold: bool = False
    ) -> list[dict[str, Any]]:
        """Newest first. untold : only those that have not been told to have ended."""
        chosen = " and case_id = ?" if case else ""
        chosen += " and told is null" if untold else ""
        return [
            self._run(row)
            for row in self.db.rows(
                f"select {_RUN} from runs where deleted = 0{chosen} "
                "order by created desc, rowid desc limit ?",
                (*((case,) if case else ()), most),
            )
        ]

    def run(self, run: str) -> dict[str, Any] | None:
        row = self.db.one(f"select {_RUN} from runs where id = ? and deleted = 0", (run,))
        return self._run(row) if row else None

    def newest_runs(self) -> dict[str, dict[str, Any]]:
        """Of each case its newest run of its own, with `count` of them, and `shown`: the newest
        one with a frame, and that frame; None where none has.
        """
        rows = self.db.rows(
            f"select {_RUN}, count(*) over (partition by case_id), row_number() over "
            "(partition by case_id order by created desc, rowid desc) as n from runs "
            "where deleted = 0 and serves = ''"
        )
        frames = self.db.rows(
            "select case_id, id, last_frame, row_number() over (partition by case_id "
            "order by created desc, rowid desc) as n from runs where deleted = 0 and serves = '' "
            "and last_frame is not null"
        )
        shown = {case: {"run": run, "frame": frame} for case, run, frame, n in frames if n == 1}
        return {
            row[1]: {**self._run(row[:-2]), "count": row[-2], "shown": shown.get(row[1])}
            for row in rows
            if row[-1] == 1
        }

    def _run(self, row: Any) -> dict[str, Any]:
        i, case, number, created, file, serves, told, mark, frame, reopened = row
        return {
            "id": i,
            "case": case,
            "number": number,
            "created": created,
            "file": self.home / "runs" / file,
            "serves": serves,
            "told": json.loads(told) if told else None,
            "mark": mark,
            "last_frame": frame,
            "reopened": reopened,
        }

    def tell_run(self, run: str, told: Mapping[str, Any], mark: str, reopened: int) -> None:
        """Keep what lists show of a run that has ended, and the mark of its file then. reopened :
        how often it had gone on when it was looked at; if it has since, nothing is kept.
        """
        self.db.write(
            "update runs set told = ?, mark = ?, last_frame = ? where id = ? and reopened = ?",
            (json.dumps(told), mark, told["last_frame"], run, reopened),
        )

    def reopen_run(self, run: str) -> None:
        """It goes on: what was told of its end no longer holds."""
        self.db.write("update runs set told = null, reopened = reopened + 1 where id = ?", (run,))

    def drop_run(self, run: str) -> bool:
        """Take a run and its file away for good."""
        row = self.run(run)
        if row is None:
            return False
        self.db.write("update runs set deleted = 1, told = null where id = ?", (run,))
        remove_run_file(row["file"])
        return True


def remove_run_file(file: Path) -> None:
    """With what SQLite keeps beside it."""
    for path in (
        file,
        *(file.with_name(file.name + end) for end in ("-wal", "-shm", "-journal")),
        file.with_suffix(".err"),
        file.with_suffix(".room"),
    ):
        path.unlink(missing_ok=True)


def _read(text: str, path: Path) -> dict[str, Any]:
    try:
        return dict(json.loads(text))
    except ValueError as error:
        raise Damaged(f"{path} is damaged: a case in it cannot be read.") from error


__all__ = ["Library", "StoreFault", "remove_run_file"]
