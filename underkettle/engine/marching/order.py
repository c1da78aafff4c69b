"""Who is solved before whom: groups of phenomena in the order of a graph of needs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from graphlib import TopologicalSorter
from typing import Any

import numpy as np
from scipy.sparse import csr_array
from scipy.sparse.csgraph import connected_components

from underkettle.engine.contract import Phenomenon, Solver
from underkettle.engine.marching.state import State

ADDED = ("force", "source:")  # several phenomena may offer these; the sum is what counts


def providers(capability: str, phenomena: Mapping[str, Phenomenon]) -> list[str]:
    """In an order that does not follow how they are named in a case."""
    return sorted(name for name, p in phenomena.items() if capability in p.provides)


def groups(
    names: Iterable[str],
    phenomena: Mapping[str, Phenomenon],
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
        for need in phenomena[name].needs:
            for provider in providers(need.capability, phenomena):
                if provider not in number or provider == name:
                    continue
                if old_too or need.at == "new":
                    edges[number[provider], number[name]] = True
                else:
                    asked.append((number[name], number[provider]))
        for provider, when in ties.get(name, {}).items():
            if provider in number and (old_too or when == "new"):
                edges[number[provider], number[name]] = True
    for reader, asks in asked:
        if not _leads(edges, asks, reader):
            edges[reader, asks] = True
    count, label = connected_components(csr_array(edges), connection="strong")
    graph: dict[int, set[int]] = {k: set() for k in range(count)}
    for a, b in zip(*np.nonzero(edges), strict=True):
        if label[a] != label[b]:
            graph[int(label[b])].add(int(label[a]))
    ordered = list(
        TopologicalSorter(
            dict(sorted(graph.items(), key=lambda pair: min(np.flatnonzero(label == pair[0]))))
        ).static_order()
    )
    return [[n for n in solved if label[number[n]] == k] for k in ordered]


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
    """What one phenomenon may read of the others. `frozen` holds old values that were set aside."""

    def __init__(
        self,
        own: str,
        phenomena: Mapping[str, Phenomenon],
        solvers: Mapping[str, Solver],
        state: State,
        frozen: Mapping[tuple[str, str], Any],
    ) -> None:
        self.own, self.phenomena, self.solvers = own, phenomena, solvers
        self.state, self.frozen = state, frozen

    def get(self, capability: str) -> Any:
        offered = []
        for name in providers(capability, self.phenomena):
            if name == self.own or name not in self.solvers:
                continue
            key = (self.own, capability)
            if key in self.frozen:
                return self.frozen[key]
            offered.append(self.solvers[name].offer(capability, self.state))
        offered = [o for o in offered if o is not None]
        if len(offered) > 1 and capability.startswith(ADDED):
            return tuple(sum(parts) for parts in zip(*offered, strict=True))
        return offered[0] if offered else None


def set_aside(offer: Any) -> Any:
    """A deep copy of an offer's arrays."""
    if isinstance(offer, np.ndarray):
        return offer.copy()
    if isinstance(offer, dict):
        return {k: set_aside(v) for k, v in offer.items()}
    if isinstance(offer, tuple):
        return tuple(set_aside(v) for v in offer)
    return offer
