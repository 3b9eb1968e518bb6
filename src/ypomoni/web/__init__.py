"""The web edge: an application factory, one folder for each stage of the work with its views, page models, forms and templates. What no stage owns stands once, here."""

from flask import Flask
from flask_wtf import CSRFProtect
from werkzeug.middleware.proxy_fix import ProxyFix

from ypomoni.actions.accounts import Passwords
from ypomoni.storage.connection import make_pool
from ypomoni.web import errors, observed, security, templating
from ypomoni.web.audit import log_views, register_views
from ypomoni.web.audit import views as audit
from ypomoni.web.balance import compare_views
from ypomoni.web.balance import views as balance
from ypomoni.web.bench import meter_views
from ypomoni.web.bench import views as bench_room
from ypomoni.web.bench.streams import Streams
from ypomoni.web.developers import views as developers
from ypomoni.web.endurance import season_views
from ypomoni.web.endurance import views as endurance
from ypomoni.web.help import views as help_pages
from ypomoni.web.history import views as history
from ypomoni.web.library import views as library
from ypomoni.web.people import sign_in
from ypomoni.web.people import views as people
from ypomoni.web.plan import views as plan
from ypomoni.web.power import bench_views, build_views, discharge_views, running_views
from ypomoni.web.power import views as power
from ypomoni.web.proof import upkeep_views
from ypomoni.web.proof import views as proof
from ypomoni.web.records import views as records
from ypomoni.web.settings import Settings
from ypomoni.web.sites import views as sites
from ypomoni.web.turns import Turns

LARGEST_REQUEST = 6 * 1024 * 1024


def create_app(settings: Settings) -> Flask:
    """Return the application. Its pool is for the process that will answer requests to open: `app.extensions["pool"].open()`."""
    app = Flask(__name__)
    app.config.update(
        SECRET_KEY=settings.secret_key,
        DEMO=settings.demo,
        DEVELOPERS=settings.developers,
        SIGN_IN_LIMIT=settings.sign_in_limit,
        MAX_CONTENT_LENGTH=LARGEST_REQUEST,
        MAX_FORM_MEMORY_SIZE=LARGEST_REQUEST,
        SESSION_COOKIE_NAME="ypomoni",
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        SESSION_COOKIE_SECURE=not settings.demo,
        # The server ends a session sooner; the cookie alone opens nothing.
        PERMANENT_SESSION_LIFETIME=60 * 60 * 24 * 14,
        SESSION_REFRESH_EACH_REQUEST=False,
        TRUSTED_HOSTS=list(settings.hosts),
        METERS=settings.meters,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=not settings.demo,
    )
    if settings.proxies_count:
        n = settings.proxies_count
        app.wsgi_app = ProxyFix(app.wsgi_app, x_for=n, x_proto=n, x_host=n)
    app.extensions["pool"] = make_pool(settings.conninfo, most=20)
    app.extensions["passwords"] = Passwords(cheap=settings.cheap_passwords)
    app.extensions["turns"] = Turns()
    app.extensions["streams"] = Streams()
    observed.init_app(app)
    CSRFProtect(app)
    security.init_app(app)
    errors.init_app(app)
    templating.init_app(app)
    for stage in (
        observed,
        sign_in,
        people,
        sites,
        plan,
        audit,
        endurance,
        season_views,
        balance,
        compare_views,
        power,
        bench_views,
        bench_room,
        meter_views,
        build_views,
        discharge_views,
        running_views,
        proof,
        upkeep_views,
        history,
        help_pages,
        developers,
        register_views,
        log_views,
        library,
        records,
    ):
        app.register_blueprint(stage.blueprint)
    return app
