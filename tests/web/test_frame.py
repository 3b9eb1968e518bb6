"""The frame of a plan's pages: marks of the stages, findings on one line, anything found by its name, words explained, a register over any stage."""

import re

import pytest
from builders import document
from web.client import SCRIPT, Client, other_organisation, rows

from ypomoni.web.help.search import Target, rank
from ypomoni.web.help.terms import TERMS, cut_at_terms
from ypomoni.web.plan.answer import FindingView
from ypomoni.web.plan.finding_groups import CAUSES, first_sentence, group_findings, opening

STAGE_LINK = re.compile(r'<a href="([^"]+)" data-key="\w"([^>]*)>(.*?)</a>', re.DOTALL)


@pytest.fixture
def client(app):
    return Client(app)


def stages(page):
    """Return of every stage its address, whether it is where one is, and what is said of it."""
    found = {}
    for address, attributes, inner in STAGE_LINK.findall(page):
        word, _, said = re.sub(r"<svg.*?</svg>|<[^>]+>", "", inner).strip().partition(": ")
        found[word] = (address, "aria-current" in attributes, said)
    return found


def test_every_stage_says_what_is_open_or_failing_in_it(client):
    """Of the archive: said, a reading that does not add up, failing, supplies too short; each stage leads to its page, which marks it."""
    shown = stages(client.get("/sites/1/as-found").text)
    assert {word: said for word, (_, _, said) in shown.items()} == {
        "Brief": "said",
        "Audit": "2 readings do not add up",
        "Endurance": "fails",
        "Balance": "2 supplies too short",
        "Power": "",
        "Proof": "",
        "Upkeep": "",
    }
    assert "steps of the work open" in stages(client.get("/sites/1/proposal").text)["Proof"][2]
    for word, (address, _, _) in shown.items():
        page = client.get(address).text
        assert [w for w, (_, is_current, _) in stages(page).items() if is_current] == [word]
        assert page.count('id="region-verdict"') == 1
        assert page.count('class="answer-line') == 1


def test_an_empty_site_is_open_in_every_stage(client):
    """Nothing is said to be well where there is nothing."""
    made = client.post("/records/site/new", {"name": "Bare", "typical_degc": "18 °C", "min_degc": "4 °C"})
    assert made.status_code == 200, made.text
    address = made.json["go"]
    assert {said for _, _, said in stages(client.get(address).text).values()} == {
        "no requirement yet",
        "no load yet",
        "nothing to judge yet",
        "",
    }


def finding(code, severity="fails", supply="s", evidence="It ends. It does."):
    return FindingView(
        severity=severity, word=severity, supply=supply, code=code, evidence=evidence, source="rule", way_out="mend it", working=None
    )


def test_findings_of_one_cause_stand_together_dangers_alone_and_notes_apart():
    """Nothing is lost, and no danger is folded behind another line."""
    found = [
        finding("charge_voltage_dangerous", "danger"),
        finding("no_current_limit", "danger"),
        finding("holdover_below_requirement"),
        finding("capacity_below_method"),
        finding("holdover_below_requirement", supply="t"),
        finding("cable_drop_starves"),
        finding("cable_drop_starves"),
        finding("weak_link", "risk"),
        finding("double_margin", "note"),
    ]
    view = group_findings(found)
    assert [[f.code for f in g.findings] for g in view.groups] == [
        ["charge_voltage_dangerous"],
        ["no_current_limit"],
        ["holdover_below_requirement", "capacity_below_method", "weak_link"],
        ["holdover_below_requirement"],
        ["cable_drop_starves"],
        ["cable_drop_starves"],
    ]
    assert [g.is_open for g in view.groups] == [True, True, False, False, False, False]
    assert view.notes_count == 1
    numbers = [n for g in (*view.groups, *view.notes) for n in g.numbers]
    assert sorted(numbers) == list(range(len(found)))
    assert len({code for codes in CAUSES.values() for code in codes}) == sum(map(len, CAUSES.values()))


def test_the_line_of_a_finding_is_its_first_sentence():
    """A number's point ends none; a short premise takes the next sentence along."""
    assert first_sentence("It is 2.5 V. Then more.") == "It is 2.5 V."
    assert opening("It warns at 22.8 V. From then it lasts 2 h. Nobody comes.") == "It warns at 22.8 V. From then it lasts 2 h."
    long = "A sentence that says all there is to say about this supply and its battery, for once. More."
    assert opening(long) == long.removesuffix(" More.")
    assert opening("One.") == "One."


def test_names_are_found_before_words_and_beginnings_first():
    """Every word asked for must be there; fewer than two letters find nothing."""
    targets = [
        Target(kind="k", name=n, words=w) for n, w in (("Bay A", ""), ("Beam, east", ""), ("East beam", ""), ("Finding", "a beam is cut"))
    ]
    assert [t.name for t in rank(targets, "beam")] == ["Beam, east", "East beam", "Finding"]
    assert [t.name for t in rank(targets, "east BEAM")] == ["East beam", "Beam, east"]
    assert rank(targets, "b") == rank(targets, "  ") == rank(targets, "zz") == []


def test_anything_of_ones_own_is_found_and_nothing_of_others(client, conninfo):
    """Site, supply, load, point, finding, word and stage, each with somewhere to go; of another organisation nothing."""

    def found(client, words, plan=1):
        return client.get(f"/help/find?plan={plan}&words={words}", headers=SCRIPT).json["found"]

    for words, kind in (
        ("brackwater", "site"),
        ("bay b", "supply"),
        ("card reader", "load"),
        ("perimeter east", "point"),
        ("holds 11 h", "finding"),
        ("cut-off", "word"),
        ("audit", "stage"),
    ):
        one = next(f for f in found(client, words) if f["kind"] == kind)
        address = one["go"] or one["open"]
        assert client.get(address.split("#")[0], headers=SCRIPT).status_code == 200, one
    assert "finding-" in next(f for f in found(client, "holds 11 h") if f["kind"] == "finding")["go"]
    assert found(client, "x" * 500) == []
    assert found(client, "beam", plan="nonsense") == []
    others = other_organisation(conninfo, document(supply={"name": "Zeppelin"}, site={"name": "Zeppelin Hall"}))
    assert found(client, "zeppelin", plan=others["plan"]) == found(client, "zeppelin") == []


def test_every_word_opens_and_every_word_on_a_page_is_known(client):
    """What is marked as explained is."""
    pages = [client.get(f"/sites/1/as-found{p}").text for p in ("", "/brief", "/audit", "/balance", "/outage", "/schools", "/battery")]
    asked = {key for page in pages for key in re.findall(r"/help/word/([\w-]+)", page)}
    assert asked
    assert asked <= set(TERMS)
    for key, term in TERMS.items():
        assert term.meaning in client.get(f"/help/word/{key}", headers=SCRIPT).text.replace("&#39;", "'")
    assert client.get("/help/word/nonsense", headers=SCRIPT).status_code == 404


def test_words_open_within_the_sentences_of_findings(client):
    """Once each where they are first said, whole words alone, and the sentence is as it was."""
    said = "The cut-off is above what the standby current needs. The blockage of a cut-off: on paper only."
    parts = cut_at_terms(said)
    assert "".join(part for part, _ in parts) == said
    assert [key for _, key in parts if key] == ["cutoff", "standby-current", "on-paper-only"]
    page = client.get("/sites/1/as-found").text
    sentences = re.findall(r'<div class="finding-whole".*?</div>', page, re.DOTALL)
    assert sum("/help/word/" in sentence for sentence in sentences) > 3


def test_the_register_is_one_component_wherever_it_stands(client):
    """As a panel and in the audit: the same table."""
    tables = [
        re.search(r'<table class="register.*?</table>', client.get(f"/sites/1/as-found/{p}").text, re.DOTALL).group(0)
        for p in ("audit", "register")
    ]
    assert tables[0] == tables[1]
    assert '<table class="register' not in client.get("/sites/1/as-found").text


def test_a_list_of_loads_comes_in_whole_or_says_what_to_change(client, conninfo):
    """One wrong line: nothing comes in and what was typed stays; mended, all come in; undone, all go."""
    (supply,) = rows(conninfo, "SELECT id FROM supply WHERE plan_id = 1 AND name = 'Bay A'")
    count = "SELECT count(*) AS n FROM load WHERE plan_id = 1 AND removed_at IS NULL"
    before = rows(conninfo, count)[0]["n"]
    assert "List loads" in client.get("/plans/1/list", headers=SCRIPT).json["html"]
    bad = client.post("/plans/1/list", {"lines": "2 Keypad 45 mA\nLamp 45", "supply": supply["id"]})
    assert bad.status_code == 422
    assert "45 without a unit" in bad.json["html"]
    assert "2 Keypad 45 mA" in bad.json["html"]
    assert rows(conninfo, count)[0]["n"] == before
    text = "2 Keypad 45 mA / 90 mA\n6 PIR\nKeypad 45 A"
    asked = client.post("/plans/1/list", {"lines": text, "supply": supply["id"]})
    assert "much for one piece" in asked.json["html"]
    done = client.post("/plans/1/list", {"lines": text, "supply": supply["id"], "provenance": "data_sheet", "sure": "1"})
    assert done.json["notice"] == "3 loads are added."
    made = rows(conninfo, "SELECT * FROM load WHERE plan_id = 1 ORDER BY id DESC LIMIT 3")
    assert [(m["quantity"], m["standby_provenance"], m["supply_id"]) for m in made] == [
        (1, "data_sheet", supply["id"]),
        (6, "estimate", supply["id"]),
        (2, "data_sheet", supply["id"]),
    ]
    assert made[2]["alarm_current_a"] == 0.09
    client.post(done.json["undo"])
    assert rows(conninfo, count)[0]["n"] == before
    assert client.post("/plans/1/list", {"lines": "Lamp 1 A", "supply": 10**9}).status_code == 404
    assert "at least one line" in client.post("/plans/1/list", {"lines": " \n", "supply": supply["id"]}).json["html"]
    other_rail = client.post("/plans/1/list", {"lines": "Lamp 10 W @ 48 V", "supply": supply["id"]})
    assert other_rail.status_code == 422
    assert "Lamp" in other_rail.json["html"]


def test_a_load_on_a_regulated_output_starts_at_its_voltage(client, conninfo):
    """Listed, or begun in the form: at what a UPS or a DC UPS gives, not at what its battery has."""
    for kind, output_v in (("ac_ups", 230.0), ("dc_ups", 12.0)):
        (supply,) = rows(conninfo, f"SELECT id, plan_id, nominal_v FROM supply WHERE kind = '{kind}' ORDER BY id LIMIT 1")
        assert supply["nominal_v"] != output_v
        done = client.post(f"/plans/{supply['plan_id']}/list", {"lines": "Lamp 20 mA", "supply": supply["id"]})
        assert done.json.get("notice") == "1 load is added.", done.json
        (made,) = rows(conninfo, f"SELECT rail_v FROM load WHERE supply_id = {supply['id']} ORDER BY id DESC LIMIT 1")
        assert made["rail_v"] == output_v
        client.post(done.json["undo"])
