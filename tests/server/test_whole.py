"""Nothing is lost: writes are whole, a damaged file stands in no other's way."""

import json
import sqlite3
import tempfile
import threading
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from tests.server.client import client_of
from tests.server.test_api import LANCE
from underkettle.runs import control
from underkettle.runs.queue import Queue
from underkettle.store.database import Damaged, Unwritable
from underkettle.store.home import Hold, back_up, bring_back, copies
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

HALF = "half \ud800"


class Home(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)

    def run_in(self, library, case):
        return library.add_run(case, lambda path: control.enqueue(path, LANCE))[0]


class Writes(Home):
    def test_a_failed_edit_loses_no_later_work(self):
        library = Library(self.home)
        case = library.add_case(LANCE)
        with self.assertRaises(UnicodeEncodeError):
            library.edit(case, {**LANCE, "name": "first"}, HALF)
        library.edit(case, {**LANCE, "name": "second"}, "a change")
        library.close()
        again = Library(self.home)
        self.assertEqual(again.case(case)["name"], "second")
        self.assertEqual(again.journal(case)["count"], 1)

    def test_other_threads_neither_see_nor_join_an_open_write(self):
        library = Library(self.home)
        case, inside, seen = library.add_case(LANCE), threading.Event(), []

        def other():
            inside.wait()
            seen.append(library.add_case({**LANCE, "name": "other"}))

        thread = threading.Thread(target=other)
        thread.start()
        with self.assertRaises(RuntimeError), library.db.whole():
            library.edit(case, {**LANCE, "name": "never"}, "x")
            inside.set()
            raise RuntimeError
        thread.join()
        self.assertEqual(library.case(case)["name"], LANCE["name"])
        self.assertEqual(library.case(seen[0])["name"], "other")

    def test_a_failed_fire_leaves_no_row_and_no_file(self):
        library = Library(self.home)
        case = library.add_case(LANCE)

        def fail(path):
            control.enqueue(path, LANCE)
            raise RuntimeError

        with self.assertRaises(RuntimeError):
            library.add_run(case, fail)
        self.assertEqual(library.runs(), [])
        self.assertEqual(list((self.home / "runs").iterdir()), [])

    def test_a_full_disk_is_told_and_nothing_is_lost(self):
        library = Library(self.home)
        case = library.add_case(LANCE)
        pages = library.db.one("pragma page_count")[0]
        library.db.one(f"pragma max_page_count={pages}")
        with self.assertRaises(Unwritable) as caught:
            for _ in range(50):
                library.add_case(LANCE)
        self.assertIn("no space left", str(caught.exception))
        before = len(library.cards())
        library.db.one(f"pragma max_page_count={pages + 1000}")
        library.edit(case, {**LANCE, "name": "later"}, "x")
        self.assertEqual((library.case(case)["name"], len(library.cards())), ("later", before))


class Frames(Home):
    def test_flipped_bytes_are_noticed(self):
        path = self.home / "run.sqlite"
        file = RunFile(path, new=True)
        x = np.linspace(0.0, 1.0, 33)
        values = np.random.default_rng(1).normal(size=(32, 32))
        file.add_frame("a", "time", 0.0, 1, {"c": values}, {}, x, x)
        (chunk,) = file.db.one("select data from chunks")
        for at in (len(chunk) // 3, len(chunk) // 2, len(chunk) - 3):
            broken = bytearray(chunk)
            broken[at] ^= 0x10
            file.db.write("update chunks set data = ?", (bytes(broken),))
            with self.subTest(at), self.assertRaises(Damaged):
                file.field(1, "c")
        file.db.write("update chunks set data = ?", (chunk,))
        np.testing.assert_array_equal(file.field(1, "c")[0], values.astype(np.float32))

    def test_a_damaged_checkpoint_gives_way_to_the_one_before(self):
        file = RunFile(self.home / "run.sqlite", new=True)
        file.add_checkpoint(b"first" * 100, 1)
        file.add_checkpoint(b"second" * 100, 2)
        file.db.write("update checkpoints set data = ? where step = 2", (b"nonsense",))
        self.assertEqual(file.checkpoint(), b"first" * 100)
        file.db.write("update checkpoints set data = ?", (b"nonsense",))
        with self.assertRaises(Damaged):
            file.checkpoint()

    def test_an_up_and_down_series_keeps_all_its_frames(self):
        file = RunFile(self.home / "run.sqlite", new=True)
        x = np.linspace(0.0, 1.0, 5)
        for step, value in enumerate((0.0, 1.0, 2.0, 1.0, 0.0)):
            file.add_frame("sweep", "value", value, step, {"c": np.ones((4, 4))}, {}, x, x)
        file.add_frame("sweep", "value", 1.0, 3, {"c": np.zeros((4, 4))}, {}, x, x)  # a resume
        self.assertEqual([f.value for f in file.frames()], [0.0, 1.0, 2.0, 1.0, 0.0])


class DamagedRuns(Home):
    """Whatever has happened to a run's file, everything else goes on."""

    def damage(self, path, how):
        for end in ("-wal", "-shm"):
            path.with_name(path.name + end).unlink(missing_ok=True)
        data = path.read_bytes()
        if how == "deleted":
            path.unlink()
        elif how == "empty":
            path.write_bytes(b"")
        elif how == "cut off":
            path.write_bytes(data[: len(data) // 3])
        else:
            path.write_bytes(b"nonsense" * 999)

    def test_lists_go_on_and_the_damaged_run_can_be_dropped(self):
        for how in ("deleted", "empty", "cut off", "overwritten"):
            with self.subTest(how):
                home = self.home / how.replace(" ", "_")
                library = Library(home)
                case, other = library.add_case(LANCE), library.add_case({**LANCE, "name": "Other"})
                run, sound = self.run_in(library, case), self.run_in(library, other)
                library.close()
                self.damage(home / "runs" / f"{run}.sqlite", how)
                client = client_of(home)
                cards = {c["id"]: c for c in client.get("/api/cases").json()}
                self.assertEqual(cards[case]["last_run"]["status"], "damaged")
                self.assertEqual(cards[other]["last_run"]["status"], "waiting")
                told = client.get(f"/api/cases/{case}/runs").json()[0]
                self.assertIn("Drop this run", told["message"])
                self.assertEqual(client.get(f"/api/runs/{run}").json()["status"], "damaged")
                for address in ("case", "frames", "watches", "live"):
                    answer = client.get(f"/api/runs/{run}/{address}")
                    self.assertEqual(answer.status_code, 409, address)
                    self.assertTrue(answer.json()["text"])
                self.assertEqual(
                    client.patch(
                        f"/api/cases/{case}", json={"patch": {"name": "Goes on"}, "label": "x"}
                    ).json()["name"],
                    "Goes on",
                )
                self.assertEqual(client.delete(f"/api/runs/{run}").status_code, 200)
                self.assertEqual(client.get(f"/api/cases/{case}/runs").json(), [])
                self.assertIn(
                    client.get(f"/api/runs/{sound}").json()["status"],
                    ("waiting", "running", "finished"),
                )  # its turn has come
                client.post(f"/api/runs/{sound}/orders", json={"kind": "stop"})

    def test_a_poisoned_summary_does_not_poison_the_shelf(self):
        library = Library(self.home)
        case = library.add_case(LANCE)
        library.add_case({**LANCE, "name": "Other"})
        library.db.write(
            "update cases set data = ?, card = null where id = ?",
            (json.dumps({**LANCE, "summary": HALF}), case),
        )
        library.close()
        client = client_of(self.home)
        cards = {c["id"]: c for c in client.get("/api/cases").json()}
        self.assertEqual(len(cards), 2)
        self.assertIn("half a character", cards[case]["trouble"])
        opened = client.get(f"/api/cases/{case}")
        self.assertEqual(opened.status_code, 422)
        self.assertIn("half a character", opened.text)


class Reopened(Home):
    def test_an_end_seen_before_a_run_goes_on_is_not_kept(self):
        """One who looks at a held run takes so long that it has gone on meanwhile."""
        library = Library(self.home)
        run = self.run_in(library, library.add_case(LANCE))
        file = RunFile(library.run(run)["file"])
        file.set(status="stopped")
        queue, seen = Queue(library, lambda r: file), library.run(run)
        queue.tick()
        told = {"status": "stopped", "last_frame": None}
        with mock.patch.object(control, "launch", lambda path: file.set(status="waiting")):
            self.assertEqual(queue.resume(run), "stopped")
            self.assertEqual(queue.resume(run), "waiting")  # a second time starts nothing
        library.tell_run(run, told, "", seen["reopened"])
        self.assertIsNone(library.run(run)["told"])
        self.assertEqual(queue.places(), {run: 1})
        library.tell_run(run, told, "", library.run(run)["reopened"])
        self.assertEqual(library.run(run)["told"], told)

    def test_numbers_no_row_holds_and_runs_that_are_not_there(self):
        client = client_of(self.home)
        self.assertEqual(client.post("/api/runs/label/resume").status_code, 404)
        library = Library(self.home)
        run = self.run_in(library, library.add_case(LANCE))
        RunFile(library.run(run)["file"]).set(status="stopped")
        for asked in (f"frame={2**70}&x=0&y=0", "frame=1&x=1e308&y=0"):
            answer = client.get(f"/api/runs/{run}/probe?{asked}")
            self.assertIn(answer.status_code, (404, 422), asked)


class Homes(Home):
    def test_a_second_server_on_one_home_is_refused(self):
        first = Hold(self.home, "at 127.0.0.1:4173")
        with self.assertRaises(Exception) as caught:
            Hold(self.home, "at 127.0.0.1:4174")
        self.assertIn("at 127.0.0.1:4173", str(caught.exception))
        first.release()
        Hold(self.home, "again").release()

    def test_a_home_that_is_a_file(self):
        path = self.home / "file"
        path.write_text("x")
        for act in (lambda: Library(path), lambda: Hold(path, "x")):
            with self.assertRaises(Unwritable) as caught:
                act()
            self.assertIn("--home", str(caught.exception))

    def test_copies_are_checked_kept_twice_and_brought_back(self):
        library = Library(self.home)
        self.assertIsNone(back_up(library))
        case = library.add_case(LANCE)
        for name in ("one", "two", "three"):
            library.edit(case, {**LANCE, "name": name}, "x")
            back_up(library)
        library.close()
        self.assertEqual(len(copies(self.home)), 2)
        (self.home / "library.sqlite").write_bytes(b"nonsense" * 4096)
        for end in ("-wal", "-shm"):
            (self.home / f"library.sqlite{end}").unlink(missing_ok=True)
        with self.assertRaises(Damaged) as caught:
            Library(self.home)
        self.assertIn("damaged", str(caught.exception))
        bring_back(self.home, 2)
        self.assertEqual(Library(self.home).case(case)["name"], "two")
        bring_back(self.home)
        self.assertEqual(Library(self.home).case(case)["name"], "three")
        self.assertTrue(list(self.home.glob("library-before-*.sqlite")))

    def test_no_copy_is_made_of_a_damaged_library(self):
        library = Library(self.home)
        for k in range(60):
            library.add_case({**LANCE, "name": f"case {k}"})
        back_up(library)
        library.close()
        path = self.home / "library.sqlite"
        db = sqlite3.connect(path)
        db.execute("pragma wal_checkpoint(truncate)")
        db.close()
        data = bytearray(path.read_bytes())
        for page in range(6, len(data) // 4096, 5):
            data[page * 4096 : page * 4096 + 40] = b"\xff" * 40
        path.write_bytes(data)
        with self.assertRaises(Damaged):
            back_up(Library(self.home))
        self.assertEqual(len(copies(self.home)), 1)
        bring_back(self.home)
        self.assertEqual(len(Library(self.home).cards()), 60)


if __name__ == "__main__":
    unittest.main()
