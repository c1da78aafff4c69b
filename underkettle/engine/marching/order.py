"""Who is solved before whom: groups of phenomena in the order of a graph of needs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from graphlib import TopologicalSorter
from typing import Any, Literal, cast

import numpy as np

from underkettle.engine.contract import Need, Offer, Phenomenon, Provides, Solver
from underkettle.engine.contract.offers import AnyOffer, merged
from underkettle.engine.marching.state import State

Made = tuple[Offer, tuple[str, ...] | None]  # an offer, and the zones where it holds
Asked = tuple[str, type[Offer], str]  # who asks for what, of what


@dataclass(frozen=True)
class Meeting:
    """What a phenomenon offers and needs with the settings of a case."""

    provides: tuple[Provides, ...] = ()
    needs: tuple[Need, ...] = ()

    @classmethod
    def of(cls, phenomenon: Phenomenon, settings: Mapping[str, Any]) -> Meeting:
        return cls(tuple(phenomenon.provides(settings)), tuple(phenomenon.needs(settings)))

    def makes(self, kind: type[Offer], of: str | None = None) -> bool:
        return any(p.kind is kind and of in (None, p.of) for p in self.provides)


def providers(kind: type[Offer], of: str, meetings: Mapping[str, Meeting]) -> list[str]:
    """In an order that does not follow how they are named in a case."""
    return sorted(name for name, meeting in meetings.items() if meeting.makes(kind, of))


def when(need: Need, giver: Meeting) -> Literal["old", "new"]:
    """Whether a reader waits for this giver in a step, or takes what was when the step began."""
    late = any(p.at == "old" for p in giver.provides if (p.kind, p.of) == (need.kind, need.of))
    return "old" if late else need.at


def groups(
    names: Iterable[str],
    meetings: Mapping[str, Meeting],
    old_too: bool,
    ties: Mapping[str, Mapping[str, str]],
) -> list[list[str]]:
    """Strongly connected parts of the graph of needs, providers first.

    ties : what laws follow: name -> {provider: "old" or "new"}. With `old_too`, needs of old values
    tie as well: what a steady state has to agree on. Without, an old need only asks, where nothing
    speaks against it, to go before its provider.
    """
    solved = sorted(names)  # whatever the order in which they are named
    number = {name: k for k, name in enumerate(solved)}
    edges = np.zeros((len(solved), len(solved)), bool)
    asked = []  # readers of old values, and whom they ask to go before
    for name in solved:
        for need in meetings[name].needs:
            for provider in providers(need.kind, need.of, meetings):
                if provider not in number or provider == name:
                    continue
                if old_too or when(need, meetings[provider]) == "new":
                    edges[number[provider], number[name]] = True
                else:
                    asked.append((number[name], number[provider]))
        for provider, wanted in ties.get(name, {}).items():
            if provider in number and (old_too or wanted == "new"):
                edges[number[provider], number[name]] = True
    for reader, asks in asked:
        if not _leads(edges, asks, reader):
            edges[reader, asks] = True
    label = _strong(edges)
    graph: dict[int, set[int]] = {int(k): set() for k in label}
    for a, b in zip(*np.nonzero(edges), strict=True):
        if label[a] != label[b]:
            graph[int(label[b])].add(int(label[a]))
    ordered = list(
        TopologicalSorter(
            dict(sorted(graph.items(), key=lambda pair: min(np.flatnonzero(label == pair[0]))))
        ).static_order()
    )
    return [[n for n in solved if label[number[n]] == k] for k in ordered]


def _strong(edges: np.ndarray) -> np.ndarray:
    """For each the first of those it leads to that lead back to it, itself included."""
    leads = edges | np.eye(len(edges), dtype=bool)
    for _ in range(len(edges).bit_length()):  # ways twice as long each time
        leads = leads @ leads
    return np.argmax(leads & leads.T, axis=1)


def _leads(edges: np.ndarray, start: int, end: int) -> bool:
    """Whether a way leads from one to the other."""
    reached, fresh = {start}, [start]
    while fresh:
        for k in np.flatnonzero(edges[fresh.pop()]):
            if int(k) not in reached:
                reached.add(int(k))
                fresh.append(int(k))
    return end in reached


class Offers:
    """What one phenomenon may read of the others. `frozen` holds old offers that were set aside."""

    def __init__(
        self,
        own: str,
        meetings: Mapping[str, Meeting],
        solvers: Mapping[str, Solver],
        state: State,
        frozen: Mapping[Asked, Mapping[str, Made]],
    ) -> None:
        self.own, self.meetings, self.solvers = own, meetings, solvers
        self.state, self.frozen = state, frozen

    def made(
        self, kind: type[Offer], of: str, among: Iterable[str] | None = None
    ) -> Mapping[str, Made]:
        """Giver -> its offer and the zones where it holds; of some givers only, where `among`."""
        found = dict(self.frozen.get((self.own, kind, of), {}))
        for name in providers(kind, of, self.meetings) if among is None else among:
            if name == self.own or name not in self.solvers or name in found:
                continue
            for what in self.meetings[name].provides:
                if what.kind is kind and what.of == of:
                    offer = self.solvers[name].offer(what, self.state)
                    if offer is not None:
                        found[name] = (offer, what.zones)
        return found

    def get(self, kind: type[AnyOffer], of: str = "") -> AnyOffer | None:
        cells_of = self.solvers[self.own].mesh.zone_cells
        return cast("AnyOffer | None", merged(self.made(kind, of), cells_of))

    def each(self, kind: type[AnyOffer], of: str = "") -> dict[str, AnyOffer]:
        return {name: cast(AnyOffer, offer) for name, (offer, _) in self.made(kind, of).items()}


def set_aside(made: Mapping[str, Made]) -> dict[str, Made]:
    """Offers with arrays of their own."""
    return {name: (offer.set_aside(), zones) for name, (offer, zones) in made.items()}
