"""Every request is numbered, timed, counted and written down; two addresses say whether this installation is alive and ready."""

import logging
import time
from typing import Any
from uuid import uuid4

from flask import Blueprint, Flask, Response, current_app, g, jsonify, request

from ypomoni.actions.readiness import what_is_missing
from ypomoni.observing import REQUEST_S, REQUESTS, SLOW_REQUEST_S

log = logging.getLogger("ypomoni.request")
blueprint = Blueprint("observed", __name__)


def init_app(app: Flask) -> None:
    """Watch every request."""

    @app.before_request
    def _begin() -> None:
        g.began_s = time.monotonic()
        g.request_id = uuid4().hex[:16]

    @app.after_request
    def _end(response: Response) -> Response:
        lasted_s = time.monotonic() - g.get("began_s", time.monotonic())
        # The rule, not the address: an address has numbers and secrets in it.
        route = request.url_rule.rule if request.url_rule else "none"
        REQUESTS.labels(route, response.status_code).inc()
        REQUEST_S.labels(route).observe(lasted_s)
        response.headers["X-Request-ID"] = g.get("request_id", "")
        actor = g.get("actor")
        told = {
            "request_id": g.get("request_id"),
            "method": request.method,
            "route": route,
            "status": response.status_code,
            "duration_ms": round(lasted_s * 1e3, 1),
            "account_id": actor.account_id if actor else None,
            "organisation_id": actor.organisation_id if actor else None,
        }
        if response.status_code >= 500:
            log.error("failed", extra=told)
        elif lasted_s > SLOW_REQUEST_S:
            log.warning("slow", extra=told)
        elif request.endpoint not in ("static", "observed.health", "observed.ready"):
            log.info("answered", extra=told)
        return response


@blueprint.get("/health")
def health() -> Any:
    """Say that this process answers, whatever else is missing."""
    return jsonify({"alive": True})


@blueprint.get("/ready")
def ready() -> Any:
    """Say whether people can work: the database answers and is as this version needs it, and somebody works on the queue."""
    missing = what_is_missing(current_app.extensions["pool"])
    return jsonify({"ready": not missing, "missing": missing}), 503 if missing else 200
