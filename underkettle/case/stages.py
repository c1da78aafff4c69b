"""What stages must name and give."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from underkettle.case.faults import fault, path
from underkettle.case.values import Typed, read_number, read_quantity
from underkettle.case.worked import Worked
from underkettle.quantities import from_si
from underkettle.quantities.units import unit_of

LONGEST = 1e12  # s


@dataclass(frozen=True)
class Axis:
    """What the frames of a stage go along: time, or the parameter that a series changes."""

    name: str
    unit: str

    def shown(self, value: float) -> float:
        """A value in SI, in the axis' unit."""
        return from_si(value, self.unit)

    def says(self, value: float) -> str:
        """ "at 3 s", or "at applied 0.8 V"."""
        name = "" if self.name == "time" else f"{self.name.replace('_', ' ')} "
        return f"at {name}{self.shown(value):.4g} {self.unit}".rstrip()


TIME = Axis("time", "s")


def axis_of(case: Worked, stage: str) -> Axis:
    """Of a stage's frames; time for a stage that the case does not have."""
    model = case.model.stages.get(stage)
    if model is None or model.mode != "series" or not model.control:
        return TIME
    return Axis(model.control, unit_of(case.names.dimensions[model.control].name))


def check_stages(case: Worked) -> None:
    """Every stage names what is there and has what its mode needs. Raises CaseError."""
    for name, stage in case.model.stages.items():
        where = path("stages", name)
        for phenomenon in (*stage.solve, *stage.hold):
            if phenomenon not in case.phenomena:
                raise fault(
                    path(where, "solve"),
                    f"'{phenomenon}' is not switched on",
                    f"Switched on: {', '.join(case.phenomena) or 'nothing'}.",
                )
        if not stage.solve:
            raise fault(path(where, "solve"), "the stage solves nothing", "Name a phenomenon.")
        if stage.mode == "transient":
            if stage.until is None:
                raise fault(
                    path(where, "until"),
                    "a transient stage needs an end",
                    "Give a time, for instance '10 s'.",
                )
            _positive(case, stage.until, path(where, "until"))
        for key in ("frame_every", "longest_step"):
            if getattr(stage, key) is not None:
                _positive(case, getattr(stage, key), path(where, key))
        if stage.ends is not None and stage.mode == "transient":
            end_of(case, name)
        if stage.mode == "series":
            _check_series(case, where, stage.control, stage.values)


def end_of(case: Worked, stage: str) -> Typed:
    """What a stage waits for, as a number that is not nought once it has come. Raises CaseError."""
    text, where = str(case.model.stages[stage].ends), path("stages", stage, "ends")
    told = {n: d for n, d in case.solved.items() if n in case.model.readouts}
    found = read_quantity(text, "number", case.names, where, place=False, solved=told)
    if not found.reads or not any(sign in text for sign in "<>"):
        raise fault(
            where,
            "a stage ends where a readout passes a value",
            f"Compare one, as in 'voltage < 3 V'. Readouts: {', '.join(told) or 'none'}.",
            text,
        )
    return found


def _positive(case: Worked, text: Any, where: str) -> float:
    value = read_number(text, "time", case.names, where)
    if value <= 0:
        raise fault(where, "a time must be positive", "", text)
    if value > LONGEST:
        raise fault(where, "no run is that long", "Give less than 30,000 years.", text)
    return value


def _check_series(case: Worked, where: str, control: str | None, values: list[Any]) -> None:
    if control is None or control not in case.names.values:
        raise fault(
            path(where, "control"),
            "a series needs the parameter it changes",
            f"Parameters: {', '.join(case.names.values) or 'none'}.",
            control or "",
        )
    if not values:
        raise fault(path(where, "values"), "a series needs values", "Give a list.")
    for k, value in enumerate(values):
        read_number(
            value, case.names.dimensions[control].name, case.names, path(where, "values", k + 1)
        )
