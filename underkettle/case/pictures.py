"""Pictures kept with a case: which field of which frame, by which scale, under which layers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from underkettle.case.faults import CaseError, fault, path
from underkettle.case.model import PictureModel
from underkettle.case.worked import Worked
from underkettle.quantities import from_si

OF_CASE = "case"  # the one that stands for the case where cases are listed


def check_pictures(case: Worked) -> None:
    """Values fit the fields they are scales of. Raises CaseError. A picture of a field that is not
    there (any more) may stand: it is shown again when the field is.
    """
    for name, picture in case.model.pictures.items():
        _worked(case, name, picture)


def pictures(case: Worked, kept: Mapping[str, Any]) -> dict[str, dict[str, Any]]:
    """Pictures (entries of a case file) that can be shown of a case: ends of scales in the fields'
    own units, the place along the stage's axis in SI. What does not fit is left out.
    """
    found: dict[str, dict[str, Any]] = {}
    for name, entry in kept.items():
        try:
            worked = _worked(case, name, PictureModel.model_validate(entry))
        except (CaseError, ValueError):
            continue
        if worked is not None:
            found[name] = worked
    return found


def _worked(case: Worked, name: str, picture: PictureModel) -> dict[str, Any] | None:
    field = case.fields().get(picture.field, (None, None))[1]
    stage = picture.stage or next(reversed(case.model.stages), "")
    if field is None or (picture.stage and picture.stage not in case.model.stages):
        return None
    where = path("pictures", name)
    low, high = (
        None
        if typed is None
        else from_si(case.number(typed, field.dimension, path(where, end)), field.shown_in)
        for end, typed in (("low", picture.low), ("high", picture.high))
    )
    if low is not None and high is not None and not low < high:
        raise fault(path(where, "high"), "the scale ends below its start", "Let it be above `low`.")
    at = None
    if picture.at is not None:
        model = case.model.stages.get(stage)
        control = model.control if model is not None and model.mode == "series" else None
        dimension = case.names.dimensions[control].name if control else "time"
        at = case.number(picture.at, dimension, path(where, "at"))
    told = {"label": field.says, "unit": field.shown_in, "centred": field.centred}
    return {**picture.model_dump(), **told, "at": at, "low": low, "high": high}
