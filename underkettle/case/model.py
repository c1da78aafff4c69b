"""The case file: what stands in it, before anything is worked out.

Collections are maps with stable ids, so that merge patches reach everything. Values stay as typed.
"""

from __future__ import annotations

from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from underkettle.case.faults import CaseError, Fault, fault, path
from underkettle.case.keepable import check_keepable, read_plain
from underkettle.case.shapes import SHAPES, Part
from underkettle.case.shapes.part import Typed
from underkettle.reading.kinds import KINDS


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid")


if TYPE_CHECKING:
    AnyPart = Part
else:
    AnyPart = Annotated[reduce(or_, SHAPES.values()), Field(discriminator="shape")]


class Nozzle(_Part):
    """An opening on a straight side: `at` is its middle, measured from the side's start."""

    part: str
    side: str
    at: Typed
    bore: Typed


class Vessel(_Part):
    """`depth` is that of a plane vessel; an axisymmetric one is turned about y = 0. Along the axes
    in `repeats` it goes on and on: what leaves on one side comes in on the other.
    """

    depth: Typed = "1 m"
    repeats: list[Literal["x", "y"]] = []
    parts: dict[str, AnyPart] = {}
    nozzles: dict[str, Nozzle] = {}


class RefinementModel(_Part):
    """Finer cells around a place (part, edge or zone), in a box (low x, low y, high x, high y) or
    in the gap between two places, growing away from there.

    `axis` : which of a cell's sizes it speaks of. `cells` : how many stand across a gap, instead of
    `size`.
    """

    place: str | None = None
    box: tuple[Typed, Typed, Typed, Typed] | None = None
    gap: tuple[str, str] | None = None
    axis: Literal["both", "x", "y"] = "both"
    size: Typed | None = None
    cells: int | None = Field(None, ge=1, le=1000)
    growth: float = Field(1.15, gt=1.0, le=2.0)


class GridModel(_Part):
    size: Typed
    refine: dict[str, RefinementModel] = {}
    memory: Typed = "2 GB"


class StageModel(_Part):
    """One leg of the solution. `control` names the parameter of a series. `ends` : readouts compared
    with values, such as "voltage < 3 V", at which a stage in time is over before `until`.
    """

    solve: list[str]
    hold: list[str] = []
    mode: Literal["steady", "transient", "series"] = "steady"
    until: Typed | None = None
    frame_every: Typed | None = None
    longest_step: Typed | None = None
    ends: str | None = None
    aim: float = Field(1e-6, gt=0)
    settle: float = Field(1e-5, gt=0)
    most: int = Field(5000, gt=0)
    control: str | None = None
    values: list[Typed] = []


if TYPE_CHECKING:
    KindName = str
else:
    KindName = Literal[tuple(KINDS)]  # of readouts, those that are registered


class ReadoutModel(_Part):
    """A number asked for. Which entries a kind needs: see `underkettle.reading.kinds`."""

    kind: KindName
    field: str | None = None
    quantity: str | None = None
    place: str | None = None
    box: tuple[Typed, Typed, Typed, Typed] | None = None  # low x, low y, high x, high y
    line: tuple[Typed, Typed, Typed, Typed] | None = None  # from x, y to x, y
    arc: tuple[Typed, Typed, Typed, Typed, Typed] | None = None  # x, y, radius, begin, end
    to: str | None = None
    formula: str | None = None
    of: str | None = None  # the readout whose history is told of when the run has ended
    tells: (
        Literal[
            "mean",
            "deviation",
            "low",
            "high",
            "peak",
            "amplitude",
            "stay",
            "stay deviation",
            "recovered",
            "tanks",
            "reached",
        ]
        | None
    ) = None
    listing: str | None = None  # what is followed one by one, to be counted or summed up
    entry: str | None = None  # of each, that is summed up
    sums: Literal["how many", "total", "mean", "deviation", "largest", "smallest"] = "how many"
    only: str | None = None  # words that their entries must have, with commas between them
    since: Typed | None = None
    tracer: Literal["step", "pulse"] = "step"
    x: Typed | None = None
    y: Typed | None = None
    reference: Typed | None = None
    length: Typed | None = None
    weight: Literal["area", "flow"] = "area"
    counts: Literal["out", "in"] = "out"
    label: str = ""
    unit: str = ""
    measured: Typed | tuple[Typed, Typed] | None = None  # a value, or a range, that was measured


class DerivedModel(_Part):
    """A field made of others by a formula of fields, readouts, parameters, x, y and t.

    since : from that simulated time on it runs along with every step in time, and the field is its
    mean or its standard deviation so far (`tells`).
    """

    formula: str
    since: Typed | None = None
    tells: Literal["mean", "deviation"] = "mean"
    unit: str = ""  # it is shown in; by its dimension when empty
    label: str = ""
    centred: bool = False


class PictureModel(_Part):
    """A picture kept with the case: a field of a frame, or over all of them, by a scale, under
    layers. `at`: the frame nearest to it along its stage's axis, the last one when empty; `low`,
    `high`: ends of the scale, by the run's own range when empty.
    """

    field: str
    over: Literal["frame", "mean", "low", "high", "deviation"] = "frame"
    stage: str = ""
    at: Typed | None = None
    low: Typed | None = None
    high: Typed | None = None
    steps: Annotated[int, Field(ge=2, le=256)] = 256
    reversed: bool = False
    log: bool = False
    stretched: bool | None = None  # by the vessel's own shape when empty
    layers: list[Literal["smooth", "lines", "stream", "arrows", "walls", "points"]] = []
    flux: str = ""  # a quantity: edges show what of it passes them, not the field beside them
    vector: str = ""  # that lines along a stream and arrows are of; the first one when empty


class KeepModel(_Part):
    """What frames and histories hold. fields : only these, all when empty. box : only what lies in
    it (low x, low y, high x, high y). watch_every : steps from one row of the histories to the
    next.
    """

    fields: list[str] = []
    box: tuple[Typed, Typed, Typed, Typed] | None = None
    watch_every: Annotated[int, Field(ge=1, le=100000)] = 5


class PaperModel(_Part):
    """A hand relation added by the modeller: what it takes as typed, and the readout it speaks to."""

    relation: str
    readout: str | None = None
    takes: dict[str, Typed] = {}


class CaseModel(_Part):
    """A whole case file."""

    format: Literal["under-kettle case 1"] = "under-kettle case 1"
    name: str = Field(min_length=1, max_length=120)
    summary: str = ""
    question: str = ""
    dimension: Literal["plane", "axisymmetric"] = "plane"
    parameters: dict[str, Typed] = {}
    vessel: Vessel = Vessel()
    grid: GridModel
    phenomena: dict[str, dict[str, Any]] = {}
    conditions: dict[str, dict[str, dict[str, Any]]] = {}
    start: dict[str, dict[str, dict[str, Any]]] = {}
    stages: dict[str, StageModel] = {}
    readouts: dict[str, ReadoutModel] = {}
    papers: dict[str, PaperModel] = {}
    derived: dict[str, DerivedModel] = {}
    keep: KeepModel = KeepModel()
    pictures: dict[str, PictureModel] = {}
    record: list[str] = []  # terms of equations to keep as fields: "flow.convection"
    variants: dict[str, dict[str, Any]] = {}
    settled: dict[str, str] = Field({}, description="doubts of the audit that may stand -> why")
    sources: dict[str, str] = Field({}, description="entry (a / b / c) -> where its value is from")


def read_json(text: str | bytes, source: str = "the file") -> dict[str, Any]:
    """Parse JSON. Raises CaseError that says where reading stopped."""
    data = read_plain(text, source)
    if not isinstance(data, dict):
        raise fault(source, "a case is a JSON object", "Start with {.", type(data).__name__)
    return data


def read_model(data: dict[str, Any]) -> CaseModel:
    """Check the shape of a case. Raises CaseError listing every misfit in plain words."""
    check_keepable(data, "the case")
    try:
        return CaseModel.model_validate(data)
    except ValidationError as error:
        raise CaseError(_plain(e) for e in error.errors()) from error


def _plain(error: Any) -> Fault:
    """A validation error in plain words."""
    tags = (*SHAPES, "str", "int", "float")
    parts = [p for p in error["loc"] if str(p) not in tags and "[" not in str(p)]
    where = path(*parts) or "the case"
    kind, context = error["type"], error.get("ctx", {})
    value = error.get("input")
    shown = "" if isinstance(value, dict | list) else str(value)
    if kind == "extra_forbidden":
        return Fault(where, f"'{parts[-1]}' is not known here", _known(error["loc"]))
    if kind == "missing":
        return Fault(where, "this is missing", "Give a value.")
    if kind == "literal_error":
        return Fault(
            where,
            "this is not one of the choices",
            f"Choose from {context.get('expected', '')}.",
            shown,
        )
    if kind in ("union_tag_invalid", "union_tag_not_found"):
        return Fault(
            path(where, "shape"),
            "this shape is not known",
            f"Choose from {', '.join(SHAPES)}.",
            str(context.get("tag", "")),
        )
    return Fault(where, error["msg"][0].lower() + error["msg"][1:], "", shown)


def _known(loc: tuple[Any, ...]) -> str:
    """What may stand beside an unknown entry."""
    model: Any = CaseModel
    for step in loc[:-1]:
        model = _inside(model, step)
        if model is None:
            return "Remove it."
    fields = getattr(model, "model_fields", None)
    return f"Known are {', '.join(fields)}." if fields else "Remove it."


_MAPS: dict[str, Any] = {
    "nozzles": Nozzle,
    "refine": RefinementModel,
    "stages": StageModel,
    "readouts": ReadoutModel,
    "papers": PaperModel,
    "derived": DerivedModel,
    "pictures": PictureModel,
}


def _inside(model: Any, step: Any) -> Any:
    if step in SHAPES:
        return SHAPES[step]
    if isinstance(model, _MapOf):
        return model.of
    fields = getattr(model, "model_fields", {})
    if step not in fields:
        return model if step in ("rectangle",) else None
    if step in _MAPS:
        return _MapOf(_MAPS[step])
    if step == "parts":
        return _MapOf(None)
    annotation = fields[step].annotation
    return annotation if hasattr(annotation, "model_fields") else None


class _MapOf:
    def __init__(self, of: Any) -> None:
        self.of = of


def merge_patch(target: Any, patch: Any) -> Any:
    """Apply a JSON Merge Patch (RFC 7396); neither argument is changed."""
    if not isinstance(patch, dict):
        return patch
    result = dict(target) if isinstance(target, dict) else {}
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        else:
            result[key] = merge_patch(result.get(key), value)
    return result
