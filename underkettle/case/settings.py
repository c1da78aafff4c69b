"""Settings of phenomena and values of conditions, read with what they may name."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.model import CaseModel
from underkettle.case.naming import Known, Named
from underkettle.case.values import Names, read_param
from underkettle.engine.contract import Field, Param, Phenomenon
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
            given = self.model.phenomena[name].get("members")
            members = {
                k: v if isinstance(v, dict) else {}
                for k, v in (given if isinstance(given, dict) else {}).items()
            }
            rough = {"members": members}
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

    def of(self, name: str) -> dict[str, Any]:
        declared = self.phenomena[name]
        given = dict(self.model.phenomena[name])
        where = path("phenomena", name)
        members = given.pop("members", None)
        result = self.read(declared.settings, given, where)
        if declared.member_settings is not None:
            if not isinstance(members, dict) or not members:
                raise fault(
                    path(where, "members"),
                    f"no {declared.member_word or 'member'} is named",
                    'Name one: "members": {"salt": {...}}.',
                )
            result["members"] = {}
            for member, values in members.items():
                here = path(where, "members", member)
                if not re.fullmatch(r"[A-Za-z][A-Za-z0-9_]*", member):
                    raise fault(here, "a name has letters, digits and _", "Rename it.")
                if not isinstance(values, dict):
                    raise fault(here, "settings are wanted here", "Give an object.", values)
                rest = dict(values)
                label = rest.pop("label", "")
                result["members"][member] = {
                    **self.read(declared.member_settings, rest, here),
                    "label": label,
                }
        elif members is not None:
            raise fault(path(where, "members"), "this phenomenon has no members", "Remove them.")
        return result

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
        for name, declared in self.registry.items():
            if name in self.phenomena or not named:
                continue
            for found in declared.fields({"members": {}}):
                if found.name in named:
                    raise fault(
                        where,
                        f"{param.says} follows {found.name}, which {declared.label} "
                        "solves for, and that is switched off",
                        f"Switch {declared.label} on, or give {param.says} without {found.name}.",
                        value,
                    )
