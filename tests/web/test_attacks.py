"""A tenth of the attacks of `make attack`: requests that mean harm, extreme files, people writing at once while processes are killed."""

import pytest
from attack import attack_with_kills, attack_with_writers
from attacks.requests import attack_requests
from attacks.sites import attack_sites
from builders import document
from web.client import Client, other_organisation, rows, token_of


@pytest.mark.parametrize("seed", range(1, 6))
def test_no_generated_request_is_answered_with_a_fault_of_ours(app, conninfo, seed):
    """A tenth of `make attack requests`. As the owner, as another organisation and as nobody, in one sequence; nobody sees what is the owner's."""
    other_organisation(conninfo, document())
    # That one was written past the application, and holds no table.
    assert rows(conninfo, "DELETE FROM import_draft RETURNING id")
    owner, foreign, nobody = Client(app), Client(app, "ash@far.example", "far-shore-fire"), app.test_client()
    clients = {"owner": owner.http, "foreign": foreign.http, "nobody": nobody}
    tokens = {"owner": owner.token, "foreign": foreign.token, "nobody": token_of(nobody.get("/sign-in").text)}
    outcome = attack_requests(app, conninfo, clients, tokens, 1_000, seed)
    assert outcome.faults == []
    assert set(outcome.by_kind) >= {"2xx", "3xx", "4xx"}


@pytest.mark.parametrize("seed", range(1, 5))
def test_no_accepted_file_raises_or_takes_long(seed):
    """A tenth of `make attack sites`. Sound files with a few figures pushed to the ends of what their fields take."""
    # How long one takes on a busy machine is no matter of a test; `make attack` asks for five seconds.
    outcome = attack_sites(250, seed, most_s=120.0)
    assert outcome.faults == []
    assert outcome.accepted == 250


def test_what_was_acknowledged_survives_whatever_is_killed():
    """A tenth of `make attack kills`. Web processes, the worker and the database, each in the middle of the work of eight people."""
    assert attack_with_kills(50) == []


def test_sixteen_writers_on_one_plan_lose_nothing():
    """A tenth of `make attack writers`. No answer is a fault of ours, what was acknowledged is there, and nothing is half there."""
    assert attack_with_writers(6.0) == []
