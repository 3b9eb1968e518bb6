"""How the application is run. Read from the environment once, at start."""

import os
from dataclasses import dataclass
from pathlib import Path

from ypomoni.instruments.addresses import check_allowed, split_allowed

LOOPBACK = ("127.0.0.1", "localhost", "[::1]")


@dataclass(frozen=True, slots=True, kw_only=True)
class Settings:
    """``conninfo`` says where the database is; ``demo`` shows the made-up credentials and allows cookies over plain http."""

    conninfo: str
    secret_key: str
    demo: bool = False
    # Whether there is a page of all components of the interface.
    developers: bool = False
    cheap_passwords: bool = False
    sign_in_limit: str = "10 per minute"
    # How many proxies of ours stand in front and say who asks; a header from anybody else is not believed.
    proxies_count: int = 0
    # Addresses and networks of meters that may be contacted besides loopback.
    meters: tuple[str, ...] = ()
    # Names this installation answers to. A request for any other is refused, so that a forged name gets into no link.
    hosts: tuple[str, ...] = LOOPBACK

    @staticmethod
    def from_environment() -> "Settings":
        """Return the settings of ``YPOMONI_DATABASE`` ``YPOMONI_SECRET_KEY`` (or ``…_FILE``), ``YPOMONI_HOSTS``, ``YPOMONI_DEMO``, ``YPOMONI_DEVELOPERS`` and ``YPOMONI_PROXIES``."""
        secret = os.environ.get("YPOMONI_SECRET_KEY", "")
        if not secret and "YPOMONI_SECRET_KEY_FILE" in os.environ:
            secret = Path(os.environ["YPOMONI_SECRET_KEY_FILE"]).read_text().strip()
        if len(secret) < 32:
            raise SystemExit("YPOMONI_SECRET_KEY must be set to at least 32 random characters.")
        if "YPOMONI_DATABASE" not in os.environ:
            raise SystemExit(
                "YPOMONI_DATABASE must say where the database is, as in 'host=127.0.0.1 dbname=ypomoni user=ypomoni password=…'."
            )
        proxies = os.environ.get("YPOMONI_PROXIES", "0")
        if not proxies.isascii() or not proxies.isdigit():
            raise SystemExit("YPOMONI_PROXIES must be the number of proxies in front, as in 1.")
        demo = os.environ.get("YPOMONI_DEMO") == "1"
        hosts = tuple(h.strip() for h in os.environ.get("YPOMONI_HOSTS", "").split(",") if h.strip())
        if not hosts and not demo:
            raise SystemExit("YPOMONI_HOSTS must name what this installation is called, as in 'alarms.saltmarsh.example'.")
        return Settings(
            conninfo=os.environ["YPOMONI_DATABASE"],
            secret_key=secret,
            demo=demo,
            developers=os.environ.get("YPOMONI_DEVELOPERS") == "1",
            hosts=hosts or LOOPBACK,
            proxies_count=int(proxies),
            meters=_meters(),
        )


def _meters() -> tuple[str, ...]:
    """Return the addresses of ``YPOMONI_METERS``, as in ``192.168.7.20:5025, 192.168.8.0/24``."""
    said = split_allowed(os.environ.get("YPOMONI_METERS", ""))
    fault = check_allowed(said)
    if fault:
        raise SystemExit(f"YPOMONI_METERS: {fault}")
    return said
