"""What an operator sees of a running installation: logs as lines of JSON, and figures for Prometheus. Any layer above the core may use it.

A log line has time, level, logger, message and what the code adds: request, user, organisation, route, duration.
"""

import logging
import os
import sys

from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram, start_http_server
from prometheus_client.multiprocess import MultiProcessCollector
from pythonjsonlogger.json import JsonFormatter

# A request or a job that takes longer is written down as slow. [s]
SLOW_REQUEST_S = 1.0
SLOW_JOB_S = 30.0

REQUESTS = Counter("ypomoni_requests_total", "Requests answered.", ("route", "status"))
REQUEST_S = Histogram("ypomoni_request_seconds", "Time to answer a request.", ("route",), buckets=(0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10))
JOBS = Counter("ypomoni_jobs_total", "Jobs done.", ("kind", "state"))
JOB_S = Histogram("ypomoni_job_seconds", "Time a job took.", ("kind",), buckets=(0.2, 0.5, 1, 2, 5, 10, 30, 60, 120))
FAILED_CALCULATIONS = Counter("ypomoni_failed_calculations_total", "Calculations that failed and were answered as unknown.")
REPEATED_WRITES = Counter("ypomoni_repeated_writes_total", "Transactions that were run again after a deadlock or a serialisation failure.")
WAITING_JOBS = Gauge("ypomoni_waiting_jobs", "Jobs in the queue when a worker last looked.", multiprocess_mode="mostrecent")


def log_as_json() -> None:
    """Write the log of this process to standard error, a line of JSON for each entry."""
    handler = logging.StreamHandler(sys.stderr)
    handler.setFormatter(
        JsonFormatter(
            "%(asctime)s %(levelname)s %(name)s %(message)s",
            rename_fields={"asctime": "time", "levelname": "level", "name": "logger"},
            datefmt="%Y-%m-%dT%H:%M:%S%z",
            static_fields={"pid": os.getpid()},
        )
    )
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.INFO)
    logging.getLogger("waitress").setLevel(logging.ERROR)


def serve_metrics(port: int) -> None:
    """Serve the figures of all processes of this host on a port of their own, for loopback only.

    The processes leave them in the folder that ``PROMETHEUS_MULTIPROC_DIR`` names.
    """
    registry = CollectorRegistry()
    MultiProcessCollector(registry)
    start_http_server(port, addr="127.0.0.1", registry=registry)
