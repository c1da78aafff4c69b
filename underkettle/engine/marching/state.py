"""The state of a run: everything that evolves, and nothing else. A checkpoint is the State."""

from __future__ import annotations

import json
import math
import struct
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np

Array = np.ndarray


@dataclass
class GroupMemory:
    """What the march remembers of the group of phenomena that it brings to rest.

    looks : the newest readouts, "" holding the residual. best, since : the least change between
    sweeps in turn or the least imbalance together, and how many ago. pace, least, aim : the mass term
    (1/s) of the next step together, what is kept of it, and what its solve may leave;
    in_turn : stepping together has been given up. marching : the group goes through time, since
    taking turns has been given up, too; change, then : what would still change, and when that was
    looked at.
    """

    sweeps: int = 0
    looks: list[dict[str, float]] = field(default_factory=list)
    residual: float = 0.0
    best: float = math.inf
    since: int = 0
    turns: int = 0  # sweeps that are remembered for the next guess
    pace: float = 0.0
    least: float = 0.0
    aim: float = 0.0
    in_turn: bool = False
    marching: bool = False
    change: float = 0.0
    then: float = 0.0

    def see(self, look: dict[str, float], most: int) -> None:
        """Keep a look, and only the newest ones."""
        self.looks = [*self.looks[1 - most :], look]


@dataclass
class Memory:
    """What the march itself remembers of a run, so that a checkpoint goes on as if nothing had been.

    budgets : stage -> quantity -> plain `Budget`, running totals. rates : quantity -> edge -> what
    leaves per second. pairs : the last step's budget, span and number, of solvers whose steps come
    in pairs. ways : how groups came to rest. apart : how far a group was left apart at worst.
    """

    budgets: dict[str, dict[str, dict[str, Any]]] = field(default_factory=dict)
    rates: dict[str, dict[str, float]] = field(default_factory=dict)
    pairs: dict[str, list[Any]] = field(default_factory=dict)
    ways: dict[str, str] = field(default_factory=dict)
    apart: float = 0.0
    unsettled: bool = False
    group: GroupMemory = field(default_factory=GroupMemory)

    def plain(self) -> dict[str, Any]:
        """A deep copy of plain values."""
        return asdict(self)

    def copy(self) -> Memory:
        """A deep copy, ten times faster than by way of plain values."""
        group = replace(self.group, looks=_own(self.group.looks))
        own = {n: _own(getattr(self, n)) for n in ("budgets", "rates", "pairs", "ways")}
        return replace(self, group=group, **own)

    @classmethod
    def of(cls, plain: dict[str, Any]) -> Memory:
        return cls(**{**plain, "group": GroupMemory(**plain["group"])})


def _own(value: Any) -> Any:
    """A deep copy of plain tables and lists."""
    if isinstance(value, dict):
        return {name: _own(entry) for name, entry in value.items()}
    return [_own(entry) for entry in value] if isinstance(value, list) else value


@dataclass
class State:
    """fields : named arrays, tables : parcel tables (one row each), numbers : single values.

    `memory` is the march's own; `stage` and `step` say where it is.
    """

    fields: dict[str, Array] = field(default_factory=dict)
    tables: dict[str, Array] = field(default_factory=dict)
    numbers: dict[str, float] = field(default_factory=dict)
    memory: Memory = field(default_factory=Memory)
    time: float = 0.0
    dt: float = 0.0
    step: int = 0
    stage: int = 0
    stage_step: int = 0
    stage_time: float = 0.0
    series_index: int = 0
    random_key: int = 1
    begun: State | None = field(default=None, repr=False, compare=False)  # within a step: as it was

    @property
    def leg(self) -> float:
        """A number that changes with the stage and with the value of a series, never 0: what is
        remembered on the way to rest lasts until then.
        """
        return 1.0 + self.stage + 1e-3 * self.series_index

    def copy_into(self, other: State) -> None:
        """Make `other` equal to self, reusing its arrays where shapes agree."""
        for mine, theirs in ((self.fields, other.fields), (self.tables, other.tables)):
            for name in list(theirs):
                if name not in mine:
                    del theirs[name]
            for name, array in mine.items():
                if name in theirs and theirs[name].shape == array.shape:
                    theirs[name][:] = array
                else:
                    theirs[name] = array.copy()
        other.numbers = dict(self.numbers)
        other.memory = self.memory.copy()
        for name in _PLAIN:
            setattr(other, name, getattr(self, name))

    def random(self, stream: int) -> np.random.Generator:
        """A generator that depends only on the key, the step and the stream's number."""
        return np.random.Generator(
            np.random.Philox(key=[self.random_key, self.step * 1024 + stream])
        )

    def to_bytes(self) -> bytes:
        """Exact serialisation: a JSON header and the arrays' raw little-endian bytes."""
        arrays = [("fields", n, a) for n, a in self.fields.items()]
        arrays += [("tables", n, a) for n, a in self.tables.items()]
        header = {
            "plain": {name: getattr(self, name) for name in _PLAIN},
            "numbers": {k: float(v).hex() for k, v in self.numbers.items()},
            "memory": self.memory.plain(),
            "exact": {n: float(getattr(self, n)).hex() for n in ("time", "dt", "stage_time")},
            "arrays": [(kind, n, a.dtype.str, a.shape) for kind, n, a in arrays],
        }
        text = json.dumps(header).encode()
        body = b"".join(np.ascontiguousarray(a).tobytes() for _, _, a in arrays)
        return struct.pack("<Q", len(text)) + text + body

    @classmethod
    def from_bytes(cls, data: bytes) -> State:
        (size,) = struct.unpack_from("<Q", data)
        header = json.loads(data[8 : 8 + size])
        state = cls(**header["plain"])
        state.numbers = {k: float.fromhex(v) for k, v in header["numbers"].items()}
        state.memory = Memory.of(header["memory"])
        for name, text in header["exact"].items():
            setattr(state, name, float.fromhex(text))
        at = 8 + size
        for kind, name, dtype, shape in header["arrays"]:
            count = int(np.prod(shape))
            array = np.frombuffer(data, np.dtype(dtype), count, at).reshape(shape).copy()
            getattr(state, kind)[name] = array
            at += array.nbytes
        return state


_PLAIN = ("time", "dt", "step", "stage", "stage_step", "stage_time", "series_index", "random_key")
