"""Names of fields and quantities: the short one serves while only one thing bears it.

Everything that a phenomenon names has a long name, `phenomenon.name` or `phenomenon.member.name`,
by which it is always found. Things that share a short name are kept, shown and found by their long
ones, so that two are never mixed.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import TypeVar

V = TypeVar("V")


class Named(Mapping[str, V]):
    """Things by name. Iterating gives each once, by the name it is kept and shown under (its key).

    long : by long names. own : by names that the case gives itself, which no phenomenon bears.
    """

    def __init__(self, long: Mapping[str, V], own: Mapping[str, V] | None = None) -> None:
        bearers: dict[str, list[str]] = {}
        for name in long:
            bearers.setdefault(name.rpartition(".")[2], []).append(name)
        self.shared = {short: tuple(all_) for short, all_ in bearers.items() if len(all_) > 1}
        self._keys: dict[str, str] = {}
        self._values: dict[str, V] = {}
        for name, value in long.items():
            short = name.rpartition(".")[2]
            key = name if short in self.shared else short
            self._keys[name] = self._keys[key] = key
            self._values[key] = value
        for name, value in (own or {}).items():
            self._keys[name] = name
            self._values[name] = value

    def key(self, name: str) -> str:
        """The name under which a thing is kept. Raises KeyError for none, and for a shared name."""
        return self._keys[name]

    def kept(self, name: str) -> str:
        """The name under which a thing is kept; the name itself where nothing, or two, bear it."""
        return self._keys.get(name, name)

    def every(self) -> dict[str, V]:
        """Things by all names that find them."""
        return {name: self._values[key] for name, key in self._keys.items()}

    def __getitem__(self, name: str) -> V:
        return self._values[self._keys[name]]

    def __contains__(self, name: object) -> bool:
        return name in self._keys

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)


@dataclass(frozen=True)
class Balanced:
    """A conserved quantity: whose it is, how that one calls it, the dimension of its flow."""

    owner: str
    name: str
    dimension: str


class Known(dict[str, V]):
    """What formulas may name. shared : short names that several bear, and their long ones."""

    def __init__(self, names: Mapping[str, V], shared: Mapping[str, tuple[str, ...]]) -> None:
        super().__init__(names)
        self.shared = dict(shared)


def shared_by(words: set[str] | frozenset[str], shared: Mapping[str, tuple[str, ...]]) -> str:
    """What is wrong with a formula that says a name which several bear; "" where none does."""
    for word in sorted(words & shared.keys()):
        return f"'{word}' is a name of {' and '.join(shared[word])}: say which"
    return ""
