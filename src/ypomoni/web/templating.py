"""What every template may use: the signed-in person, versions of static files, icons."""

import contextlib
import hashlib
from pathlib import Path
from pickle import UnpicklingError
from typing import Any

from flask import Flask, g, url_for
from flask_compress import Compress  # pyright: ignore[reportMissingTypeStubs]
from jinja2.bccache import Bucket, FileSystemBytecodeCache

from ypomoni.web.help.terms import cut_at_terms
from ypomoni.web.help.walk import STEPS


def init_app(app: Flask) -> None:
    """Give the templates what they share."""
    folder = Path(app.static_folder or "")
    versions: dict[str, str] = {}

    def asset(name: str) -> str:
        """Return the address of a static file, with a digest so that it may be kept for ever."""
        if name not in versions:
            versions[name] = hashlib.sha256((folder / name).read_bytes()).hexdigest()[:10]
        return url_for("static", filename=name, v=versions[name])

    @app.context_processor
    def _shared() -> dict[str, Any]:
        return {"asset": asset, "actor": g.get("actor"), "demo": app.config["DEMO"], "walk_steps": STEPS}

    # What a page is drawn with is sent compressed; pages are not, since they hold secrets beside what others may have typed.
    app.config.update(
        COMPRESS_MIMETYPES=["text/css", "text/javascript", "image/svg+xml"],
        COMPRESS_ALGORITHM=["br", "gzip"],
        COMPRESS_ALGORITHM_STREAMING=["br", "deflate"],
    )
    Compress(app)
    app.jinja_env.filters["cut_at_terms"] = cut_at_terms
    app.jinja_env.bytecode_cache = _CompiledTemplates(str(Path(__file__).parent / "__pycache__"), "%s.jinja")
    app.jinja_env.trim_blocks = True
    app.jinja_env.lstrip_blocks = True


class _CompiledTemplates(FileSystemBytecodeCache):
    """Templates as they were compiled, kept where Python keeps its modules: else every process would compile them anew, a second in all."""

    def load_bytecode(self, bucket: Bucket) -> None:
        # One that was cut short, as when the power went while it was written, is made anew.
        try:
            super().load_bytecode(bucket)
        except (OSError, EOFError, ValueError, UnpicklingError):
            bucket.reset()

    def dump_bytecode(self, bucket: Bucket) -> None:
        # Where nothing may be written, or the disk is full, they are compiled anew after all.
        with contextlib.suppress(OSError):
            super().dump_bytecode(bucket)
