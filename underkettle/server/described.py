"""The API's own description: with the case file as a body, and every status that can occur."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from underkettle.case.model import CaseModel
from underkettle.server.answers.shared import Refused

ANY = {
    "401": "The token is wrong or missing (on a shared machine).",
    "403": "The host or the origin is not this server's own.",
    "409": "What is asked for is damaged.",
    "422": "It cannot be used as it is.",
    "429": "Too many wrong tokens.",
    "503": "The library is held by another program.",
    "507": "Nothing can be written: no space is left, or it is not allowed.",
}
WITH_PATH = {"404": "There is no such thing."}
WITH_BODY = {
    "400": "The body cannot be read.",
    "413": "It is too large.",
    "415": "A body of this type is not taken here.",
}


def described(app: FastAPI) -> dict[str, Any]:
    """OpenAPI, complete; made once."""
    if app.openapi_schema:
        return app.openapi_schema
    api = get_openapi(title=app.title, version=app.version, routes=app.routes)
    api = _referring(api)
    schemas = api.setdefault("components", {}).setdefault("schemas", {})
    case = CaseModel.model_json_schema(ref_template="#/components/schemas/{model}")
    schemas.update(case.pop("$defs", {}))
    schemas["CaseFile"] = {**case, "title": "CaseFile"}
    for name in ("HTTPValidationError", "ValidationError"):
        schemas.pop(name, None)
    refused = {"application/json": {"schema": {"$ref": "#/components/schemas/Refused"}}}
    told = Refused.model_json_schema(ref_template="#/components/schemas/{model}")
    schemas.update(told.pop("$defs", {}))
    schemas["Refused"] = told
    for path, methods in api["paths"].items():
        for method, operation in methods.items():
            statuses = dict(ANY)
            statuses.update(WITH_PATH if "{" in path else {})
            statuses.update(WITH_BODY if method in ("post", "put", "patch", "delete") else {})
            for status, says in statuses.items():
                operation["responses"][status] = {"description": says, "content": refused}
    app.openapi_schema = api
    return api


def _referring(part: Any) -> Any:
    """With references to what is described once."""
    if isinstance(part, dict):
        if "x-is" in part:
            return {"$ref": f"#/components/schemas/{part['x-is']}"}
        return {k: _referring(v) for k, v in part.items()}
    return [_referring(v) for v in part] if isinstance(part, list) else part
