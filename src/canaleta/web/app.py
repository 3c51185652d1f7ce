"""The application: routes, doors, problems, the OpenAPI document, and the built front end."""

from __future__ import annotations

import logging
import os
from pathlib import Path

from flask import Response, jsonify, request, send_from_directory
from flask_openapi3.models.info import Info
from flask_openapi3.openapi import OpenAPI
from sqlalchemy import Engine
from sqlalchemy.exc import SQLAlchemyError
from werkzeug.exceptions import NotFound
from werkzeug.middleware.proxy_fix import ProxyFix

from canaleta import __version__
from canaleta.jobs.imports import Jobs
from canaleta.jobs.playing import Player
from canaleta.plant.database.clock import PlantClock
from canaleta.plant.database.connection import engine_for
from canaleta.plant.records.image_cache import ImageCache
from canaleta.web import checks, hardware, live, people
from canaleta.web import list as the_list
from canaleta.web.kit import access, problems
from canaleta.web.kit.hub import Hub
from canaleta.web.kit.json import StrictJson
from canaleta.web.kit.openapi import openapi_text
from canaleta.web.kit.state import Shared, Snapshots

__all__ = ["create_app", "from_environment"]

MOST_BODY = 20 * 1024 * 1024


def create_app(engine: Engine, hosts: frozenset[str], most_streams: int = 112, dist: Path | None = None) -> OpenAPI:
    """The application on an engine, answering to these host names. dist: the built front end; None for the API
    alone."""
    app = OpenAPI(
        "canaleta",
        info=Info(title="Canaleta", version=__version__),
        security_schemes={},
        validation_error_callback=problems.invalid_request,
        doc_ui=False,
        static_folder=None,
    )
    app.config["MAX_CONTENT_LENGTH"] = MOST_BODY
    app.json = StrictJson(app)
    cache, clock = ImageCache(engine), PlantClock.of(engine)
    app.extensions["canaleta"] = Shared(
        engine, cache, Hub(engine, cache, clock, most_streams), Jobs(engine, cache), Player(engine, clock), clock
    )
    problems.install(app)
    access.install(app, hosts)
    for room in (people, the_list, hardware, live, checks):
        for api in room.APIS:
            app.register_api(api)
    _add_plain_routes(app, dist)
    return app


def from_environment() -> OpenAPI:
    """The application as `start` runs it: CANALETA_RUNTIME_URL, CANALETA_HOSTS, CANALETA_THREADS."""
    hosts = frozenset(h.strip().lower() for h in os.environ["CANALETA_HOSTS"].split(",") if h.strip())
    threads = int(os.environ.get("CANALETA_THREADS", "128"))
    front = os.environ.get("CANALETA_FRONT")
    app = create_app(
        engine_for(os.environ["CANALETA_RUNTIME_URL"]), hosts, threads - 16, dist=Path(front) if front else None
    )
    if os.environ.get("CANALETA_BEHIND"):
        # Only the server in front reaches the socket; it says who asked, and whether by TLS.
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=1, x_proto=1, x_host=0, x_port=0, x_prefix=0)  # type: ignore[method-assign]
    _read_ahead(app.extensions["canaleta"])
    return app


def _read_ahead(shared: Shared) -> None:
    """Read the plant before the workers fork: they share it, and the first page need not wait for it.

    Connections must not cross a fork, so the pool is emptied. A database that is away is met later.
    """
    try:
        shared.snapshots.fresh_enough(shared.image())
    except (SQLAlchemyError, LookupError) as error:
        logging.getLogger("web").warning("the plant could not be read ahead: %s", type(error).__name__)
    finally:
        shared.engine.dispose()


def _add_plain_routes(app: OpenAPI, dist: Path | None) -> None:
    """Routes that the OpenAPI document does not list: itself, the health check, the front end."""

    @app.route("/api/openapi.json")
    @access.needs("public")
    def openapi() -> Response:
        return Response(openapi_text(app), content_type="application/json")

    @app.route("/api/health")
    @access.needs("public")
    def health() -> Response:
        with app.extensions["canaleta"].engine.connect():
            return jsonify({"answers": True, "version": __version__})

    @app.route("/", defaults={"name": "index.html"})
    @app.route("/<path:name>")
    @access.needs("public")
    def front_end(name: str) -> Response:
        if dist is None or name.startswith("api/"):
            raise NotFound
        if not (dist / name).is_file():
            if "." in name.rpartition("/")[2]:
                raise NotFound
            name = "index.html"
        if name == "index.html":
            return _first_page(dist / name, app.extensions["canaleta"].snapshots)
        response = send_from_directory(dist, name)
        lasting = name.startswith("assets/")
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable" if lasting else "no-cache"
        return _zipped(response, dist, name)


def _first_page(file: Path, snapshots: Snapshots) -> Response:
    """The page. For somebody who is signed in it names what it will ask for, so that the browser fetches all of it at
    once with the scripts instead of one after the other. For others it must not: a browser keeps the refusals, and gives
    them to the page once they have signed in."""
    page = file.read_text("utf-8")
    if snapshots.kept and access.is_known():
        kept = snapshots.kept.digest
        asked = ("/api/session", "/api/plant", f"/api/list?digest={kept}", "/api/findings", "/api/live/words")
        links = "".join(f'<link rel="preload" as="fetch" crossorigin href="{path}">' for path in asked)
        page = page.replace("</head>", links + "</head>")
    response = Response(page, content_type="text/html; charset=utf-8")
    response.headers["Cache-Control"] = "no-cache"
    response.headers["Vary"] = "Cookie"
    return response


def _zipped(response: Response, dist: Path, name: str) -> Response:
    """The file compressed at build time, where the browser takes it and there is one."""
    if "gzip" in request.headers.get("Accept-Encoding", "") and (dist / f"{name}.gz").is_file():
        kind = response.headers["Content-Type"]
        cache = response.headers["Cache-Control"]
        response = send_from_directory(dist, f"{name}.gz")
        response.headers["Content-Type"] = kind
        response.headers["Cache-Control"] = cache
        response.headers["Content-Encoding"] = "gzip"
        response.headers["Vary"] = "Accept-Encoding"
    return response
