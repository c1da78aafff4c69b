"""Kills runs and servers at random and looks whether anything kept is lost: python -m tests.soak.

One server with its queue is killed and started again while runs of small cases, transient and
steady, go on under it and are killed themselves. Whatever had been kept must still be there after
each kill, and every run must end with the very numbers of an undisturbed one.
"""

import argparse
import json
import os
import random
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path

import underkettle as uk
from tests.phenomena.cases import HEAT, SPECIES
from underkettle.api import Run
from underkettle.case.model import merge_patch
from underkettle.runs import control
from underkettle.store.runfile import RunFile

CASES = {
    "spreading": merge_patch(
        SPECIES,
        {
            "stages": {"go": {"until": "1.2 s", "frame_every": "0.1 s"}},
            "readouts": {"held": {"kind": "total", "field": "salt", "place": "space"}},
        },
    ),
    "warming": merge_patch(
        HEAT,
        {
            "grid": {"size": "0.5 mm"},
            "name": "warming",
            "stages": {
                "go": None,
                "still": {"solve": ["flow"], "mode": "steady"},
                "warm": {
                    "solve": ["heat"],
                    "hold": ["flow"],
                    "until": "4 s",
                    "frame_every": "0.5 s",
                },
            },
            "readouts": {"hottest": {"kind": "max", "field": "temperature", "place": "space"}},
        },
    ),
}
PATIENCE = 180.0  # s without any progress


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Server:
    """A server in a process of its own, killed and started again."""

    def __init__(self, home: Path) -> None:
        self.home, self.process = home, None
        self.start()

    def start(self) -> None:
        port = free_port()
        self.base = f"http://127.0.0.1:{port}"
        self.process = subprocess.Popen(
            [
                sys.executable,
                "-m",
                "underkettle.cli",
                "serve",
                "--home",
                str(self.home),
                "--port",
                str(port),
            ],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            env={**os.environ, "UNDERKETTLE_CHECKPOINT_EVERY": "0.2"},
        )
        end = time.monotonic() + PATIENCE
        while time.monotonic() < end:
            try:
                self.ask("/api/about")
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not start again")

    def ask(self, path: str, body: object = None) -> object:
        request = urllib.request.Request(
            self.base + path,
            None if body is None else json.dumps(body).encode(),
            {"Content-Type": "application/json"},
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()


def kept(path: Path) -> dict:
    """What a run has kept so far; it may only grow."""
    file = RunFile(path)
    found = {
        "frames": {(f.stage, f.value) for f in file.frames()},
        "log": {e["text"] for e in file.log()},
        "watches": len(file.watches()),
    }
    file.close()
    return found


def lost(before: dict, after: dict) -> str:
    """What of it is gone, in words; a resume repeats rows of the history, so those may shrink."""
    for what in ("frames", "log"):
        gone = before[what] - after[what]
        if gone:
            return f"{what} gone: {gone}"
    return "" if after["watches"] or not before["watches"] else "histories gone"


def same(path: Path, whole: Run) -> str:
    """Where a run's end differs from that of the undisturbed one, in words."""
    file = RunFile(path)
    try:
        told = file.get("result")["readouts"]
        for name, number in whole.readouts.items():
            if told[name]["value"] != number.value:
                return f"{name}: {told[name]['value']!r} instead of {number.value!r}"
        ours, theirs = file.frames(), whole.frames
        if [(f.stage, f.value) for f in ours] != [(f.stage, f.value) for f in theirs]:
            return f"{len(ours)} frames instead of {len(theirs)}"
        for name in file.field_names(ours[-1].id):
            if (
                file.field(ours[-1].id, name)[0].tobytes()
                != whole.file.field(theirs[-1].id, name)[0].tobytes()
            ):
                return f"the last frame of {name} differs"
        return ""
    finally:
        file.close()


def soak(kills: int, seed: int, say=print) -> dict:
    """Kill `kills` times; counts of what was killed and how many runs ended. Raises AssertionError
    where something was lost or a number differs.
    """
    chance = random.Random(seed)
    whole = {name: uk.run(data) for name, data in CASES.items()}
    done = {"runs killed": 0, "servers killed": 0, "runs ended": 0, "seed": seed}
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        home = Path(folder)
        server = Server(home)
        try:
            ids = {name: server.ask("/api/cases", data)["id"] for name, data in CASES.items()}
            paths: dict[str, tuple[str, Path]] = {}
            last = time.monotonic()
            while done["runs killed"] + done["servers killed"] < kills or paths:
                more = done["runs killed"] + done["servers killed"] < kills
                while more and len(paths) < 2:
                    name = chance.choice(list(CASES))
                    run = server.ask(f"/api/cases/{ids[name]}/fire", {"anew": True})["id"]
                    paths[run] = (name, home / "runs" / f"{run}.sqlite")
                time.sleep(chance.uniform(0.05, 0.6))
                if more:
                    strike(chance, server, paths, done)
                for run, (name, path) in list(paths.items()):
                    file = RunFile(path)
                    status = control.status_of(file)
                    file.close()
                    if status == "interrupted":
                        server.ask(f"/api/runs/{run}/resume", {})
                    elif status == "finished":
                        assert not (wrong := same(path, whole[name])), f"{name}: {wrong}"
                        done["runs ended"] += 1
                        del paths[run]
                        last = time.monotonic()
                        say(f"{done}")
                    else:
                        assert status in ("waiting", "running"), f"{name}: {status}"
                assert time.monotonic() - last < PATIENCE + 10 * kills, "nothing ends any more"
        finally:
            server.kill()
            for _, path in paths.values():
                end(path)
    return done


def strike(chance: random.Random, server: Server, paths: dict, done: dict) -> None:
    """Kill the server, or one of the runs, and compare what is kept before and after."""
    if not paths:
        return
    run = chance.choice(list(paths))
    path = paths[run][1]
    before = kept(path)
    if chance.random() < 0.3:
        server.kill()
        assert not (gone := lost(before, kept(path))), gone
        server.start()
        done["servers killed"] += 1
    elif end(path):
        assert not (gone := lost(before, kept(path))), gone
        done["runs killed"] += 1


def end(path: Path) -> bool:
    """Kill a run's process; False where none was running."""
    file = RunFile(path)
    running, pid = control.status_of(file) == "running", int(file.get("pid") or 0)
    file.close()
    if not running or not pid:
        return False
    try:
        os.kill(pid, signal.SIGKILL)
    except ProcessLookupError:
        return False
    return True


def damage(seed: int) -> int:
    """Spoil the files of ended runs in every way there is, at random places, while the server is
    asked for everything; how many were spoilt. Raises AssertionError where others suffer.
    """
    chance, spoilt = random.Random(seed), 0
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        home = Path(folder)
        server = Server(home)
        try:
            data = next(iter(CASES.values()))
            case = server.ask("/api/cases", data)["id"]
            other = server.ask("/api/cases", {**data, "name": "Other"})["id"]
            for how in ("cut off", "overwritten", "flipped", "deleted", "empty"):
                run = server.ask(f"/api/cases/{case}/fire", {"anew": True})["id"]
                path = home / "runs" / f"{run}.sqlite"
                while server.ask(f"/api/runs/{run}")["status"] in ("waiting", "running"):
                    time.sleep(0.1)
                server.kill()
                spoil(path, how, chance)
                server.start()
                spoilt += 1
                told = {r["id"]: r for r in server.ask(f"/api/cases/{case}/runs")}
                assert run in told, how
                # what SQLite keeps beside the file was spoilt, too: the end may be gone with it
                assert told[run]["status"] in ("damaged", "finished", "interrupted"), told[run]
                for address in (f"/api/runs/{run}/frames", f"/api/runs/{run}/case"):
                    try:
                        server.ask(address)
                    except urllib.error.HTTPError as error:
                        assert error.code in (404, 409), (how, address, error.code)
                assert server.ask(f"/api/cases/{other}")["name"] == "Other"
                assert len(server.ask("/api/cases")) == 2
        finally:
            server.kill()
    return spoilt


def spoil(path: Path, how: str, chance: random.Random) -> None:
    for ending in ("-wal", "-shm"):
        path.with_name(path.name + ending).unlink(missing_ok=True)
    data = bytearray(path.read_bytes())
    if how == "deleted":
        path.unlink()
    elif how == "empty":
        path.write_bytes(b"")
    elif how == "cut off":
        path.write_bytes(data[: chance.randrange(100, len(data))])
    elif how == "overwritten":
        path.write_bytes(bytes(chance.randrange(256) for _ in range(5000)))
    else:
        for _ in range(200):
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
        path.write_bytes(data)


def full_disk() -> str:
    """A run on a disk too small for it stops, says so, and goes on to the same numbers once there
    is room; what came of it, in words. Needs a file system of its own, which only root can mount.
    """
    name, data = next(iter(CASES.items()))
    whole = uk.run(data)
    with tempfile.TemporaryDirectory() as folder:
        small = Path(folder) / "small"
        small.mkdir()
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=1500k", "tmpfs", str(small)],
            capture_output=True,
            check=False,
        )
        if mounted.returncode:
            return "a small disk could not be mounted here"
        try:
            path = small / "run.sqlite"
            control.enqueue(path, data)
            os.environ["UNDERKETTLE_CHECKPOINT_EVERY"] = "0.05"
            control.launch(path)
            stopped = until(path, ("stopped", "finished", "failed"))
            file = RunFile(path)
            assert stopped == "stopped", f"{name} {stopped} on a full disk: {file.get('message')}"
            assert "no space left" in file.get("message"), file.get("message")
            file.take_orders()
            file.close()
            subprocess.run(["mount", "-o", "remount,size=200m", str(small)], check=True)
            control.launch(path)
            assert until(path, ("finished", "failed")) == "finished"
            assert not (wrong := same(path, whole)), wrong
            return "a run stopped on a full disk, said so, and went on to the same numbers"
        finally:
            subprocess.run(["umount", "-l", str(small)], check=False)


def until(path: Path, wanted: tuple[str, ...]) -> str:
    end = time.monotonic() + PATIENCE
    while time.monotonic() < end:
        file = RunFile(path)
        status = control.status_of(file)
        file.close()
        if status in wanted:
            return status
        time.sleep(0.1)
    raise AssertionError(f"waited {PATIENCE} s for {wanted}, and it is {status}")


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("--kills", type=int, default=100)
    asked.add_argument("--seed", type=int, default=int(time.time()))
    given = asked.parse_args()
    began = time.monotonic()
    found = soak(given.kills, given.seed)
    print(f"nothing lost, same numbers: {found}, {time.monotonic() - began:.0f} s")
    print(f"{damage(given.seed)} files spoilt, everything else went on")
    print(full_disk())


if __name__ == "__main__":
    main()
