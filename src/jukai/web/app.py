"""The application: routes, errors, pages."""

from __future__ import annotations

import logging
import secrets
from pathlib import Path

from flask import Flask, Response, request, send_from_directory
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from jukai.app.benches import Benches
from jukai.app.ports import NotThere, Stale, StoreProblem
from jukai.core.errors import Cancelled, CoreError
from jukai.web.kit import FieldProblem, check_answers, make_app, problem
from jukai.web.reading import refuse_unreadable
from jukai.web.routes import make_routes
from jukai.web.security import Access, guard

__all__ = ["STATIC", "create_app"]

STATIC = Path(__file__).parent / "static"
_JSON_LIMIT = 8 * 1024 * 1024
_UPLOAD_LIMIT = 512 * 1024 * 1024
_log = logging.getLogger("jukai.web")


def create_app(benches: Benches, access: Access | None = None, *, checked: bool = False) -> Flask:
    """Return the web application over the use cases; ``checked`` holds answers against their models."""
    app = make_app("jukai.web", None)
    app.config["MAX_CONTENT_LENGTH"] = _UPLOAD_LIMIT
    guard(app, access or Access())

    @app.before_request
    def limit() -> Response | None:
        uploads = request.path.endswith(("/uploads", "/open"))
        if not uploads and (request.content_length or 0) > _JSON_LIMIT:
            return problem(413, "too_large", f"The request has over {_JSON_LIMIT // 1_000_000} MB.")
        if not uploads and request.is_json and (data := request.get_data()):
            refuse_unreadable(data)
        return None

    routes = make_routes(benches)
    app.register_api(routes)
    if checked:
        check_answers(app, routes)
    _errors(app)
    _pages(app)
    return app


def _errors(app: Flask) -> None:
    @app.errorhandler(StoreProblem)
    def store(e: StoreProblem) -> Response:
        _log.error("store: %s %s", e.message, e.hint)
        return problem(507 if e.kind == "full" else 503, f"store_{e.kind}", e.message, hint=e.hint)

    @app.errorhandler(CoreError)
    def core(e: CoreError) -> Response:
        status = 413 if e.code == "too_large" else 409 if isinstance(e, Cancelled) else 422
        fields = [FieldProblem(field=e.field, code=e.code, message=e.message)] if e.field else []
        return problem(status, e.code, e.message, hint=e.hint, fields=fields, position=getattr(e, "position", None))

    @app.errorhandler(NotThere)
    def missing(e: NotThere) -> Response:
        return problem(404, "not_there", f"There is no {e}.")

    @app.errorhandler(Stale)
    def stale(e: Stale) -> Response:
        return problem(
            409,
            "stale",
            "The bench has changed in the meantime.",
            hint="Take the newer state and do it again.",
            head=e.head,
        )

    @app.errorhandler(RequestEntityTooLarge)
    def large(_: RequestEntityTooLarge) -> Response:
        return problem(413, "too_large", f"The file has over {_UPLOAD_LIMIT // 1_000_000} MB.")

    @app.errorhandler(HTTPException)
    def http(e: HTTPException) -> Response:
        return problem(e.code or 500, "http", e.name or "Error")

    @app.errorhandler(Exception)
    def unknown(e: Exception) -> Response:
        number = secrets.token_hex(4)
        _log.exception("error %s", number, exc_info=e)
        return problem(
            500,
            "internal",
            "Something went wrong inside Jukai.",
            hint=f"Nothing was changed. The log has it under {number}.",
        )


def _pages(app: Flask) -> None:
    def page(bench: str = "") -> Response:  # noqa: ARG001 - the page reads it from the address
        if not (STATIC / "index.html").is_file():
            return Response("The front end is not built: run make setup.\n", status=503, mimetype="text/plain")
        response = send_from_directory(STATIC, "index.html")
        response.headers["Cache-Control"] = "no-cache"
        return response

    def asset(name: str) -> Response:
        if name.startswith("api/"):
            return problem(404, "not_there", "There is no such address.")
        response = send_from_directory(STATIC, name)
        if name.startswith("assets/"):
            response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response

    # pages, not part of the described API
    app.add_url_rule("/", "page", page)
    app.add_url_rule("/bench/<bench>", "bench_page", page)
    app.add_url_rule("/<path:name>", "asset", asset)
