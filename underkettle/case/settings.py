"""Settings of phenomena and values of conditions, read with what they may name."""

from __future__ import annotations

import re
from collections.abc import Mapping
from itertools import combinations
from typing import Any

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.model import CaseModel
from underkettle.case.naming import Known, Named
from underkettle.case.values import Names, read_param
from underkettle.engine.contract import Field, MemberKind, Pairing, Param, Phenomenon
from underkettle.quantities import Dimension, dimension_of, names_in
from underkettle.reading.dimensions import readout_dimension


class Settings:
    """Reads typed values of one case. `phenomena` are those switched on, `solved` what laws may
    name. Raises CaseError.
    """

    def __init__(self, model: CaseModel, names: Names, registry: Mapping[str, Phenomenon]) -> None:
        self.model, self.names, self.registry = model, names, registry
        self.phenomena = self._active()
        self.solved = self._known()

    def _active(self) -> dict[str, Phenomenon]:
        active = {}
        for name in self.model.phenomena:
            if name not in self.registry:
                raise fault(
                    path("phenomena", name),
                    "this phenomenon is not known",
                    f"Known are {', '.join(self.registry)}.",
                )
            active[name] = self.registry[name]
        return active

    def _known(self) -> Known[Dimension]:
        """What laws may name: fields and readouts, with their dimensions.

        Worked out before settings are read, since those may be laws.
        """
        flows: dict[str, str] = {}
        fields: dict[str, Field] = {}
        for name, declared in self.phenomena.items():
            rough = self._rough(name, declared)
            fields.update({f"{name}.{f.name}": f for f in declared.fields(rough)})
            flows.update({f"{name}.{q}": d for q, d in declared.quantities(rough).items()})
        named = Named(fields)
        told, flow = named.every(), Named(flows).every()
        known = Known(
            {n: dimension_of(f.dimension) for n, f in told.items() if f.where == "cell"},
            named.shared,
        )
        for name, readout in self.model.readouts.items():
            dimension = readout_dimension(readout, told, flow)
            if dimension is not None and name not in known:
                known[name] = dimension
        return known

    def _rough(self, name: str, declared: Phenomenon) -> dict[str, Any]:
        """Members, flags and choices as they are typed, as far as they can be read."""
        typed = self.model.phenomena[name]
        given = {k.key: typed.get(k.key) for k in declared.member_kinds}
        said = {
            s.name: typed.get(s.name, s.default)
            for s in declared.settings
            if s.kind in ("flag", "choice")
        }
        return said | {
            key: {k: v if isinstance(v, dict) else {} for k, v in members.items()}
            if isinstance(members, dict)
            else {}
            for key, members in given.items()
        }

    def of(self, name: str) -> dict[str, Any]:
        declared = self.phenomena[name]
        given = dict(self.model.phenomena[name])
        where = path("phenomena", name)
        listed = {k.key: given.pop(k.key, None) for k in declared.listed}
        if "members" in given and not declared.member_kinds:
            raise fault(path(where, "members"), "this phenomenon has no members", "Remove them.")
        result = self.read(declared.settings, given, where)
        for kind in declared.member_kinds:
            result[kind.key] = self._members(kind, listed[kind.key], path(where, kind.key))
        for pairing in declared.pairings:
            result[pairing.key] = self._pairs(
                pairing, declared, result, listed[pairing.key], path(where, pairing.key)
            )
        return result

    def _members(self, kind: MemberKind, given: Any, where: str) -> dict[str, Any]:
        if given is None:
            given = {}
        if not isinstance(given, dict) or len(given) < kind.least:
            raise fault(
                where,
                f"no {kind.name} is named"
                if not given
                else f"fewer than {kind.least} of kind {kind.name} are named",
                f'Name one: "{kind.key}": {{"salt": {{...}}}}.',
            )
        found = {}
        for member, values in given.items():
            here = path(where, member)
            if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_]*", member):
                raise fault(here, "a name has letters, digits and _", "Rename it.")
            rest = dict(_object(values, here))
            label = rest.pop("label", "")
            found[member] = {**self.read(kind.settings, rest, here), "label": label}
        return found

    def _pairs(
        self,
        pairing: Pairing,
        declared: Phenomenon,
        settings: Mapping[str, Any],
        given: Any,
        where: str,
    ) -> dict[str, Any]:
        """Every pair, with what is given of it. Raises CaseError."""
        known = pairs_of(pairing, declared, settings)
        given = {} if given is None else given
        if not isinstance(given, dict):
            raise fault(where, "pairs are wanted here", "Give an object.", given)
        for pair, values in given.items():
            if pair not in known:
                raise fault(
                    path(where, pair),
                    f"there is no pair '{pair}'",
                    f"Pairs: {', '.join(known) or 'none'}.",
                )
            _object(values, path(where, pair))
        return {p: self.read(pairing.settings, given.get(p, {}), path(where, p)) for p in known}

    def read(
        self, params: tuple[Param, ...], given: Mapping[str, Any], where: str
    ) -> dict[str, Any]:
        known = {p.name: p for p in params}
        faults: list[Fault] = []
        result: dict[str, Any] = {}
        for key in given:
            if key not in known:
                faults.append(
                    Fault(
                        path(where, key),
                        f"'{key}' is not known here",
                        f"Known are {', '.join(known) or 'none'}.",
                    )
                )
        for name, param in known.items():
            value = given.get(name, param.default)
            if value is None:
                if not param.optional:
                    faults.append(
                        Fault(path(where, name), f"{param.says} is not given", "Give a value.")
                    )
                continue
            try:
                self._needs_what_is_off(param, value, path(where, name))
                result[name] = read_param(param, value, self.names, path(where, name), self.solved)
            except CaseError as error:
                faults += error.faults
        if faults:
            raise CaseError(faults)
        return result

    def _needs_what_is_off(self, param: Param, value: Any, where: str) -> None:
        """Refuse a law that names what a switched-off phenomenon would solve for."""
        if not param.law or not isinstance(value, str):
            return
        own = {*self.solved, *self.names.values}
        named = names_in(value, own) - own
        if not named:
            return
        tell: dict[str, list[tuple[bool, str]]] = {}  # field -> who would tell it, solved for first
        for name, declared in self.registry.items():
            if name in self.phenomena:
                continue
            for found in declared.fields({k.key: {} for k in declared.member_kinds}):
                if found.name in named:
                    tell.setdefault(found.name, []).append((not found.arrays, declared.label))
        for field, owners in tell.items():
            who = " or ".join(label for _, label in sorted(owners))
            raise fault(
                where,
                f"{param.says} follows {field}, which {who} solves for, and that is switched off",
                f"Switch {who} on, or give {param.says} without {field}.",
                value,
            )


def _object(values: Any, where: str) -> dict[str, Any]:
    if not isinstance(values, dict):
        raise fault(where, "settings are wanted here", "Give an object.", values)
    return values


def pairs_of(pairing: Pairing, declared: Phenomenon, settings: Mapping[str, Any]) -> list[str]:
    """Names of the pairs of members that have settings together."""
    first, second = (
        [m for k in declared.member_kinds if k.name == kind for m in settings.get(k.key, {})]
        for kind in pairing.kinds
    )
    if pairing.kinds[0] == pairing.kinds[1]:
        return ["-".join(pair) for pair in combinations(first, 2)]
    return [f"{a}-{b}" for a in first for b in second]
