"""How the tests and the tools start Debian's Chromium: quiet, on this machine alone."""

import os
import shutil
from typing import Any

# The shell is Chromium without the browser around its pages: it lays out the same page for two thirds of the work.
SHELL, WHOLE = "chromium-headless-shell", "chromium"
ARGUMENTS = [
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage",
    "--lang=en-GB",
    # As Debian draws letters elsewhere, so that a picture is the same in both.
    "--font-render-hinting=slight",
]


def launch_options() -> dict[str, Any]:
    """Return what Playwright is told when it starts the browser."""
    return {
        "executable_path": shutil.which(SHELL) or shutil.which(WHOLE),
        # Chromium refuses to put root into its sandbox.
        "chromium_sandbox": os.geteuid() != 0,
        "args": ARGUMENTS,
    }
