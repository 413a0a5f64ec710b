"""The one file that knows the OpenAPI library."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from flask import Flask, Response, json, request
from flask_openapi import APIBlueprint, Info, OpenAPI
from flask_openapi import Schema as _Schema
from pydantic import BaseModel, ValidationError

from jukai import __version__
from jukai.core.json_data import JsonObject
from jukai.core.validation import in_words

__all__ = ["Blueprint", "Problem", "check_answers", "make_app", "problem"]

_Schema.model_config["extra"] = "allow"  # else x-unit and the like are dropped
_Schema.model_rebuild(force=True)


class FieldProblem(BaseModel):
    """What is wrong with one field."""

    field: str
    code: str
    message: str


class Problem(BaseModel):
    """An error as a problem document (RFC 9457), with our own members code, hint, fields, head and position."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str | None = None
    code: str
    hint: str | None = None
    fields: list[FieldProblem] = []
    head: int | None = None
    position: int | None = None


def problem(status: int, code: str, title: str, *, hint: str | None = None, fields: list[FieldProblem] | None = None,
            head: int | None = None, position: int | None = None, detail: str | None = None) -> Response:  # fmt: skip
    """Return a problem document."""
    body = Problem(
        title=title,
        status=status,
        code=code,
        hint=hint,
        fields=fields or [],
        head=head,
        position=position,
        detail=detail,
    )
    return Response(body.model_dump_json(exclude_none=True), status=status, mimetype="application/problem+json")


def _invalid(e: ValidationError) -> Response:
    rows = e.errors(include_url=False, include_input=False)
    fields = [
        FieldProblem(field=".".join(str(p) for p in r["loc"]), code=r["type"], message=in_words(r)) for r in rows[:20]
    ]
    first = f"{fields[0].field}: {fields[0].message}".removeprefix(": ") if fields else "The request can't be read"
    return problem(422, "request", f"The request can't be read: {first}.", fields=fields)


class _App(OpenAPI):
    @property
    def api_doc(self) -> JsonObject:
        """The description; models nested in others are lifted to where all stand."""
        doc: JsonObject = super().api_doc
        schemas = doc["components"]["schemas"]
        for schema in list(schemas.values()):
            for name, nested in schema.pop("$defs", {}).items():
                schemas.setdefault(name, nested)
        return doc

    def make_response(self, rv: Any) -> Response:
        """Let a view return a model, or a model and a status."""
        status = None
        if isinstance(rv, tuple) and len(rv) == 2 and isinstance(rv[0], BaseModel):
            rv, status = rv
        if isinstance(rv, BaseModel):
            return Response(rv.model_dump_json(by_alias=True), status=status or 200, mimetype="application/json")
        if isinstance(rv, dict | list):
            return Response(json.dumps(rv), status=status or 200, mimetype="application/json")
        return super().make_response(rv)


_PROBLEMS: Any = {
    status: {
        "description": text,
        "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for status, text in (
        ("404", "not there"),
        ("409", "made on a revision that is not the head"),
        ("422", "can't be used"),
    )
}


def make_app(name: str, static: str | None) -> OpenAPI:
    """Return the bare application."""
    app = _App(
        name, info=Info(title="Jukai", version=__version__), static_folder=static, static_url_path="/",
        validation_error_callback=_invalid, validation_error_model=Problem, doc_ui=False,
    )  # fmt: skip
    app.openapi_version = "3.1.1"
    return app


class Blueprint(APIBlueprint):
    """A set of routes whose errors are problem documents and whose operation ids are their functions' names."""

    def __init__(self, name: str, module: str, prefix: str) -> None:
        def operation_id(*, name: str, path: str, method: str) -> str:  # noqa: ARG001 - given by the library
            return f"{self.name}_{name}"

        super().__init__(name, module, url_prefix=prefix, abp_responses=_PROBLEMS, operation_id_callback=operation_id)
        self.answers: dict[str, JsonObject] = {}

    def _collect_openapi_info(self, rule: str, func: Any, **more: Any) -> Any:
        self.answers[f"{self.name}.{func.__name__}"] = more.get("responses") or {}
        return super()._collect_openapi_info(rule, func, **more)


def check_answers(app: Flask, routes: Blueprint) -> None:
    """Hold each JSON answer against the model it is described by, to the last key: for tests.

    Raises
    ------
    ValidationError
        From within the request, when an answer is not what the description says.
    """

    @app.after_request
    def check(response: Response) -> Response:
        model = routes.answers.get(request.endpoint or "", {}).get(str(response.status_code))
        if isinstance(model, type) and issubclass(model, BaseModel) and response.mimetype == "application/json":
            model.model_validate_json(response.get_data(), extra="forbid")
        return response


Route = Callable[..., object]
