"""`make bench`: medians over several runs, each beside its aim. Run it on a quiet machine."""

import itertools
import json
import logging
import os
import random
import re
import statistics
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import builders  # pyright: ignore[reportMissingImports]
import psycopg
import referee  # pyright: ignore[reportMissingImports]
from browsing import launch_options
from core.placements import full_site  # pyright: ignore[reportMissingImports]
from playwright.sync_api import sync_playwright
from screenshots import LAPTOP, open_page, sign_in
from throwaway import DATABASE, application, served
from web.client import Client  # pyright: ignore[reportMissingImports]

from ypomoni.core.balance.search import Effort, Proposal, find_moves
from ypomoni.core.evaluation.building import bank_ways
from ypomoni.core.evaluation.chargers import charger_schools
from ypomoni.core.evaluation.evaluate import evaluate_plan
from ypomoni.core.evaluation.parts import parts_of
from ypomoni.core.evaluation.recommending import recommend_bank
from ypomoni.core.evaluation.ways import ways_of
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.demand import build_timeline
from ypomoni.core.outage.load_curve import load_curve
from ypomoni.core.outage.playing import Conditions, play_supply
from ypomoni.core.outage.run import HoldoverRun
from ypomoni.core.outage.selecting import play_selector
from ypomoni.core.outage.survival import sample_holdovers
from ypomoni.core.requirements.patterns import TimePattern
from ypomoni.core.seasons.cuts import cut_pattern, play_cuts
from ypomoni.core.seasons.sun import play_sun, sun_of
from ypomoni.core.sizing import size_by_all_methods
from ypomoni.core.sizing.duty_cycle import DutyCycle
from ypomoni.core.things.batteries import Bank, build_pack
from ypomoni.core.things.loads import Draw
from ypomoni.core.things.solar import Controller, SolarPart
from ypomoni.core.wiring.arrangement import arrangement_of
from ypomoni.core.wiring.fuses import FuseNeed
from ypomoni.core.wiring.plan import choose, shares_of, wire
from ypomoni.documents.into_core import to_core
from ypomoni.documents.site_file import read_site
from ypomoni.documents.site_model import SiteFile

RUNS = 9


def median_ms(what: Callable[[], Any], runs: int = RUNS) -> float:
    """Return the median time of several runs. [ms]"""
    times: list[float] = []
    for _ in range(runs):
        start = time.perf_counter()
        what()
        times.append(time.perf_counter() - start)
    return 1000 * statistics.median(times)


def say(name: str, ms: float, aim: str) -> None:
    """Print one line of the table."""
    print(f"{name:<72} {ms:>10.2f} ms   aim: {aim}")


def bench_outage() -> None:
    """72 h with hourly bursts and a final alarm, against the one-second referee."""
    burst = {"current_a": 1.5, "duration_s": 8, "per_hour": 1}
    for behaviour in ("constant_current", "constant_power"):
        load = {"behaviour": behaviour, "standby": {"current_a": 0.15, "provenance": "measured"}, "bursts": [burst]}
        load["alarm"] = {"current_a": 0.9, "provenance": "measured"}
        plan = to_core(read_site(builders.document(supply={"own_current_a": 0.03}, loads=[load]))).plans[0]
        case = Case(plan.supplies[0], plan.loads)
        pack = build_pack(Bank(chemistry_key="lead_agm", block_v=12, capacity_ah=26), condition_ratio=1.0, temperature_degc=20)

        def once(case: Case = case, pack: Any = pack) -> None:
            standby, alarm = (build_timeline(case.currents, Draw(0.03, 0.0, 0.0), in_alarm=state) for state in (False, True))
            assert not HoldoverRun(pack, standby, alarm, 0.5, 10.5).alarm_stop(72.0, locate=True).ended

        plain: dict[str, Any] = referee.plain(pack)
        theirs = {
            "behaviour": behaviour,
            "standby_a": 0.15,
            "alarm_a": 0.9,
            "quantity": 1,
            "rail_v": 12.0,
            "bursts": [{**burst, "offset_s": 0}],
        }
        ours_ms = median_ms(once)
        theirs_ms = median_ms(lambda p=plain, t=theirs: referee.run(p, [t], 0.03, 10.5, 72 * 3600, 1800), runs=1)
        say(f"outage of 72 h, hourly bursts, final alarm, {behaviour}", ours_ms, "single milliseconds")
        print(f"{'  one-second referee':<72} {theirs_ms:>10.0f} ms   {theirs_ms / ours_ms:.0f} times as long; aim: at least 150")


def hourly(hours_h: float) -> tuple[Case, Conditions]:
    """Return a supply with hourly bursts that lasts so long and a little, with an alarm at its end."""
    load = {"standby": {"current_a": 0.15, "provenance": "data_sheet"}, "bursts": [{"current_a": 1.5, "duration_s": 8, "per_hour": 1}]}
    load["alarm"] = {"current_a": 0.9, "provenance": "data_sheet"}
    bank = {"capacity_ah": round(26 * hours_h / 72, 3)}
    plan = to_core(read_site(builders.document(supply={"bank": bank}, loads=[load], requirement={"standby_h": hours_h}))).plans[0]
    return Case(plan.supplies[0], plan.loads), Conditions(alarm_at_h=hours_h, alarm_h=0.5)


def bench_endurance() -> None:
    """The played outage over four sizes, and a thousand sampled ones."""
    for hours_h in (36.0, 72.0, 144.0, 288.0):
        case, conditions = hourly(hours_h)
        ms = median_ms(lambda c=case, k=conditions, h=hours_h: play_supply(c, k, until_h=h + 0.5))
        aim = "5 ms" if hours_h == 72 else "linear in events"
        say(f"outage of {hours_h:.0f} h played, {2 * hours_h:.0f} events: {1000 * ms / (2 * hours_h):.0f} µs an event", ms, aim)
    case, conditions = hourly(72.0)
    curve = replace(conditions, swing_degc=5.0)
    say("the same over a day's temperature curve", median_ms(lambda: play_supply(case, curve, until_h=72.5)), "under 100 ms")
    say("1,000 outages sampled, 72 h with hourly bursts", median_ms(lambda: sample_holdovers(case, 1000), runs=3), "under 2,000 ms")
    text = Path(__file__).parent.parent.joinpath("src/ypomoni/actions/demo/1_archive.json").read_text()
    plan = to_core(SiteFile.model_validate_json(text)).plans[0]
    for supply in plan.supplies:
        found = Case(supply, plan.loads_on(supply.key))
        say(
            f"1,000 outages sampled, {supply.name}",
            median_ms(lambda c=found: sample_holdovers(c, 1000), runs=1),
            "under 2,000 ms, drawn as it grows",
        )
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app:
        client = Client(app)
        site = re.findall(r'href="(/sites/\d+)"', client.get("/").text)[0]
        state = {"n": 50}

        def drag() -> None:
            state["n"] += 1
            answer = client.get(
                f"{site}/as-found/outage/play?supply=main-panel&condition={state['n']}&swing=4&alarm=1&alarm_at=6&alarm_min=30"
            )
            assert answer.status_code == 200

        say("a control dragged, answered over HTTP", median_ms(drag), "under 100 ms")


def bench_seasons() -> None:
    """A year of two cuts a day, two years on the sun, and what a slider of the page Season asks."""
    half_day = [{"start_h": 12.0 * n, "duration_h": 3.0} for n in range(730)]
    requirement = {"standby_h": 3, "alarm_min": 10, "cuts": {"list": half_day, "length_h": 8760}}
    bursts = [{"name": "send", "current_a": 1.2, "duration_s": 8, "per_hour": 12}]
    for words, load, aim in (("without bursts", {}, "under 200 ms"), ("with bursts", {"bursts": bursts}, "under 500 ms")):
        plan = builders.core_plan(builders.document({}, [load], requirement))
        case = Case(plan.supplies[0], plan.loads_on("s"))
        say(
            f"a year of two cuts a day, {words}",
            median_ms(lambda c=case: play_cuts(c, cut_pattern(c.supply) or TimePattern(week=())), runs=5),
            aim,
        )
    solar = {
        "controller": "pwm",
        "panel_w": 20,
        "panel_imp_a": 1.15,
        "panels_count": 2,
        "sun_h_by_month": [0.9, 1.6, 2.8, 4.0, 4.9, 5.2, 5.0, 4.4, 3.3, 2.0, 1.1, 0.7],
    }
    values = {"kind": "solar", "solar": solar, "charge_limit_a": None, "supply_current_a": None, "charge_v": 14.4}
    for words, load in (("without bursts", {}), ("with bursts", {"bursts": bursts})):
        plan = builders.core_plan(builders.document(values, [{"standby": {"current_a": 0.05}, **load}]))
        case = Case(plan.supplies[0], plan.loads_on("s"))
        say(
            f"two years on the sun, {words}",
            median_ms(lambda c=case: play_sun(c, sun_of(c) or SolarPart(controller=Controller.NONE, sun_h_by_month=(0.0,) * 12)), runs=5),
            "under 300 ms",
        )
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app:
        client = Client(app)
        for site, supply, asked in (("1", "bay-b", "load=150"), ("4", "sun-battery", "panels=3"), ("5", "cells", "sendings=70")):
            address = f"/sites/{site}/as-found/season/picture?supply={supply}&{asked}"
            assert client.get(address).status_code == 200
            say(f"a slider of the page Season, {supply}", median_ms(lambda a=address: client.get(a), runs=5), "under 300 ms")


def bench_power() -> None:
    """A UPS beside a boxed supply of the same loads, hours against load, the ways, a selector; an edit of a UPS plan over HTTP."""
    boxed = evaluated(builders.document(loads=[{"bursts": [{"current_a": 0.9, "duration_s": 8, "per_hour": 1}]}]))
    inverter = evaluated(
        builders.document(builders.ups(), [builders.watts(4, bursts=[{"current_a": 0.05, "duration_s": 8, "per_hour": 1}])])
    )
    say("a boxed supply evaluated, hourly bursts", median_ms(boxed, runs=5), "the measure")
    say("an AC UPS evaluated, hourly bursts", median_ms(inverter, runs=5), "as a boxed supply")
    three = [
        builders.core_plan(builders.document(builders.ups(ac={"rated_va": va}), [builders.watts(20)])).supplies[0]
        for va in (550, 850, 1500)
    ]
    say("hours against load of three UPS", median_ms(lambda: [load_curve(s, 20.0) for s in three]), "under 300 ms")
    plan = builders.core_plan(builders.document(builders.ups(), [builders.watts(20, ac={"power_w": 20.0, "dc_v": 12})]))
    say("UPS or DC: every way judged", median_ms(lambda: ways_of(plan.supplies[0], plan.loads_on("s")), runs=3), "under 500 ms")
    for mode in ("first_present", "highest_voltage"):
        found = builders.core_plan(builders.backed_up(mode=mode))
        inputs = tuple(s for key in found.selectors[0].inputs for s in found.supplies if s.key == key)
        say(
            f"a selector played, {mode}",
            median_ms(lambda f=found, i=inputs: play_selector(f.selectors[0], i, f.loads), runs=3),
            "under 500 ms",
        )
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app:
        client = Client(app)
        for site in ("Brackwater County Archive", "Orrin Vale Veterinary Clinic"):
            with app.extensions["pool"].connection() as connection:
                load = connection.execute(
                    "SELECT l.id, l.version FROM load l JOIN plan p ON p.id = l.plan_id JOIN site s ON s.id = p.site_id WHERE s.name = %s ORDER BY l.id",
                    (site,),
                ).fetchone()
            state = dict(load or {})

            def edit_cell(state: dict[str, Any] = state) -> None:
                answer = client.cell(state, "quantity", str(1 + state["version"] % 2))
                assert answer.status_code == 200
                state["version"] += 1

            say(f"an edit of a cell, {site}", median_ms(edit_cell, runs=5), "alike")


def bench_building() -> None:
    """A bank laid out another way over HTTP, its net of 24 blocks solved, the ways to a bank, the schools of charging, a parts list."""
    plan = builders.core_plan(builders.document(loads=[{"standby": {"current_a": 0.5}}]))
    (supply,), loads = plan.supplies, plan.loads_on("s")
    bank = Bank(chemistry_key="lead_agm", block_v=12.0, capacity_ah=24.0, series=4, parallel=6)
    choice = choose(bank, FuseNeed(standby_a=1.0, alarm_a=2.0, charge_a=1.5), fuse_a=3.0, isolator=True, lead_m=0.5)
    if choice is not None:
        say("24 blocks wired and solved", median_ms(lambda: shares_of(wire(arrangement_of(bank), choice), 2.0)), "under 50 ms")
    say("ways to a bank, each judged", median_ms(lambda: bank_ways.__wrapped__(supply, loads), runs=3), "under 2 s")
    say("three schools of charging", median_ms(lambda: charger_schools(supply, loads)), "under 300 ms")
    say("a parts list", median_ms(lambda: parts_of(plan)), "under 50 ms")
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app:
        client = Client(app)
        address = "/sites/1/as-found/build/wiring?supply=bay-b&do=string&try=" + ";".join(["12:17,12:17"] * 10)
        assert client.get(address).status_code == 200
        say("a change of the bank redrawn, 22 blocks, over HTTP", median_ms(lambda: client.get(address), runs=9), "under 100 ms")


def evaluated(site: dict[str, Any]) -> Callable[[], Any]:
    """Return what evaluates the plan of a site."""
    plan = builders.core_plan(site)
    return lambda: evaluate_plan(plan)


def bench_sizing() -> None:
    """All methods and the smallest sold bank for the supplies of the demo's archive."""
    text = Path(__file__).parent.parent.joinpath("src/ypomoni/actions/demo/1_archive.json").read_text()
    plan = to_core(SiteFile.model_validate_json(text)).plans[0]
    for supply in plan.supplies:
        case = Case(supply, plan.loads_on(supply.key))
        standby_a, alarm_a = case.mean_current_a(in_alarm=False), case.mean_current_a(in_alarm=True)
        profile = DutyCycle(standby_current_a=standby_a, alarm_current_a=alarm_a, standby_h=24, alarm_h=0.5)

        def once(case: Case = case, profile: DutyCycle = profile) -> None:
            recommend_bank(case, size_by_all_methods(profile, case.requirement, case, 12.0))

        say(f"sizing over the sold list, {supply.name}", median_ms(once), "under 60 ms")


def big_site() -> dict[str, Any]:
    """Return a site of 60 loads on 6 supplies: every tenth a communicator with hourly bursts, every third a power load."""
    found = builders.document(site={"name": "Bench"})
    plan = found["plans"][0]
    supply, load = plan["supplies"][0], plan["loads"][0]
    plan["supplies"] = [builders.merged(supply, {"key": f"s{n}", "name": f"Bay {n + 1}"}) for n in range(6)]
    plan["loads"] = [
        builders.merged(
            load,
            {
                "key": f"l{n}",
                "name": f"Device {n + 1}",
                "supply": f"s{n % 6}",
                "behaviour": "constant_power" if n % 3 == 0 else "constant_current",
                "standby": {"current_a": 0.03 + 0.0005 * n},
                "bursts": [{"current_a": 0.9, "duration_s": 6, "per_hour": 1}] if n < 6 else [],
            },
        )
        for n in range(60)
    ]
    return found


def bench_pages() -> None:
    """The plan page served warm, and an edit until its new figures arrive."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app:
        client = Client(app)
        answer = client.post("/import", {"text": json.dumps(big_site())}, script=False)
        address = answer.headers["Location"]
        page = client.get(f"{address.split('?')[0]}/as-found/audit").text
        say("plan page, 60 loads on 6 supplies, served warm", median_ms(lambda: client.get(address)), "under 100 ms")
        load_id, version = map(int, re.findall(r'data-load="(\d+)" data-version="(\d+)"', page)[20])
        state = {"version": version, "n": 0}

        def edit() -> None:
            state["n"] += 1
            done = client.cell({"id": load_id, "version": state["version"]}, "standby", f"{40 + state['n']} mA")
            assert done.status_code == 200
            state["version"] = done.json["row"]["version"]

        say("edit of one load until its new figures arrive", median_ms(edit), "under 100 ms")


def huge_site() -> dict[str, Any]:
    """Return a site of 40 supplies without loads."""
    found = builders.document(site={"name": "Huge"})
    plan = found["plans"][0]
    supply = builders.merged(plan["supplies"][0], {"bank": {"capacity_ah": 65}})
    plan["supplies"] = [builders.merged(supply, {"key": f"s{n}", "name": f"Bay {n + 1}"}) for n in range(40)]
    plan["loads"] = []
    return found


def bench_register() -> None:
    """A register of 2,000 loads: imported from a table, first shown, edited."""
    with application() as app:
        client = Client(app)
        address = client.post("/import", {"text": json.dumps(huge_site())}, script=False).headers["Location"]
        rows = [f"Device {n};2;{16 + n % 90 / 10:g};24;Bay {n % 40 + 1};Room {n % 30}" for n in range(2000)]
        table = "\n".join(["Device;Qty;Standby mA;Alarm mA;Supply;Location", *rows])
        at: dict[str, str] = {}

        def bring() -> None:
            draft = client.post(f"{address}/as-found/bring-loads", {"text": table}, script=False).headers["Location"]
            assert client.get(draft).status_code == 200
            at["audit"] = client.post(draft, {"do": "confirm"}, script=False).headers["Location"]

        say("2,000 rows read, reviewed and brought in", median_ms(bring, runs=1), "under 5,000 ms")
        say("their register first shown", median_ms(lambda: client.get(at["audit"]), runs=1), "under 1,000 ms")
        page = client.get(at["audit"]).text
        load_id, version = map(int, re.findall(r'data-load="(\d+)" data-version="(\d+)"', page)[20])
        state = {"version": version, "n": 0}

        def edit() -> None:
            state["n"] += 1
            done = client.cell({"id": load_id, "version": state["version"]}, "standby", f"{16 + state['n'] / 10:g} mA")
            assert done.status_code == 200
            state["version"] = done.json["row"]["version"]

        say("edit of one load among 2,000", median_ms(edit), "under 150 ms")
        figures = f"{address}/as-found/regions?regions=brief,next,tree"
        say("all 40 supplies computed for the first time", median_ms(lambda: client.get(figures), runs=1), "shown as progress")
        edit()
        say("figures that follow an edit", median_ms(lambda: client.get(figures), runs=1), "shown as progress over 1 s")


# What each bay carries on average in the plans that are searched: some 0.6 A is all that they hold. [A]
FILLS_A = (0.42, 0.48, 0.51, 0.54, 0.58, 0.6)

DROPPED = """async (name) => {
  const region = document.getElementById("region-board");
  const piece = [...document.querySelectorAll(".piece")].find((p) => p.dataset.name === name);
  piece.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
  const own = piece.closest(".board-lane");
  let put;
  for (let n = 0; n < 500 && !put; n += 1) {
    await new Promise((wake) => setTimeout(wake, 20));
    put = [...document.querySelectorAll("[data-put]:not([hidden])")].find((b) => !own.contains(b) && b.closest("[data-supply]").dataset.supply);
  }
  put.focus();
  await new Promise((wake) => setTimeout(wake, 1500));
  performance.clearResourceTimings();
  const start = performance.now();
  const drawn = new Promise((done) => new MutationObserver((_, me) => { me.disconnect(); done(); }).observe(region, { childList: true, subtree: true }));
  put.click();
  await drawn;
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  const whole = performance.now() - start;
  const asked = performance.getEntriesByType("resource").filter((entry) => entry.name.endsWith("/move"));
  return [whole, asked.length ? asked[0].duration : 0];
}"""


def bench_board() -> None:
    """From a drop to the new figures on screen, with the browser's share, and the search for the fewest moves."""
    with application() as app, served(app) as address, sync_playwright() as playwright:
        client = Client(app)
        browser = playwright.chromium.launch(**launch_options())
        for count, aim in ((60, "under 100 ms"), (200, "under 200 ms")):
            there = client.post("/import", {"text": json.dumps(full_site(count, count))}, script=False).headers["Location"]
            page = open_page(browser, address, LAPTOP, "light")
            sign_in(page)
            page.goto(f"{address}{there.split('?')[0]}/as-found/balance")
            page.wait_for_selector(".piece", timeout=120_000)
            page.wait_for_timeout(1_500)
            names = [page.locator(".piece").nth(n).get_attribute("data-name") for n in range(9)]
            times = [page.evaluate(DROPPED, name) for name in names]
            say(f"dropped where it rested, until drawn, {count} loads on 8 supplies", statistics.median(t[0] for t in times), aim)
            print(f"{'  of that the browser':<72} {statistics.median(t[0] - t[1] for t in times):>10.2f} ms")
            page.context.close()
            for fill_a in FILLS_A:
                plan = to_core(read_site(full_site(count, count, fill_a))).plans[0]
                found: list[Proposal] = []
                ms = median_ms(lambda p=plan, f=found: f.append(find_moves(p, effort=Effort(relax_s=0))), runs=1)
                gap = "not found" if found[0].gap_ratio is None else f"{len(found[0].moves)} moves, gap {found[0].gap_ratio:.1%}"
                if not found[0].is_found and found[0].is_proven:
                    gap = "none, proven"
                say(f"the fewest moves, {count} loads on 8 supplies at {fill_a} A each: {gap}", ms, "5,000 ms, gap at most 1 %")


# The largest paint, how much has shifted by then, and what scripts and styles weighed on the way, as the browser saw them.
PAINTED = """() => new Promise((done) => {
  let paint = 0;
  let shift = 0;
  new PerformanceObserver((list) => { for (const entry of list.getEntries()) paint = entry.startTime; }).observe({ type: "largest-contentful-paint", buffered: true });
  new PerformanceObserver((list) => { for (const entry of list.getEntries()) if (!entry.hadRecentInput) shift += entry.value; }).observe({ type: "layout-shift", buffered: true });
  setTimeout(() => {
    const parts = performance.getEntriesByType("resource").filter((entry) => /\\.(css|js)(\\?|$)/.test(entry.name));
    done([paint, shift, parts.reduce((sum, entry) => sum + entry.encodedBodySize, 0) / 1000]);
  }, 600);
})"""


def bench_paint() -> None:
    """The first look at a plan: everything loaded anew, in Chromium."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with application() as app, served(app) as address, sync_playwright() as playwright:
        client = Client(app)
        large = client.post("/import", {"text": json.dumps(full_site(200, 200))}, script=False).headers["Location"]
        browser = playwright.chromium.launch(**launch_options())
        for name, where in (("demo", "/sites/1"), ("200 loads on 8 supplies", large.split("?")[0])):
            page = open_page(browser, address, LAPTOP, "light")
            sign_in(page)
            state = page.context.storage_state()
            page.context.close()
            found: list[tuple[float, float, float]] = []
            for _ in range(5):
                # Signed in, and with nothing kept of what pages are drawn with.
                fresh = browser.new_context(viewport={"width": 1280, "height": 800}, storage_state=state)
                page = fresh.new_page()
                page.goto(f"{address}{where}")
                found.append(tuple(page.evaluate(PAINTED)))
                fresh.close()
            paint_ms, shift, weight_kb = (statistics.median(column) for column in zip(*found, strict=True))
            say(f"largest paint of the plan page, nothing kept, {name}", paint_ms, "under 600 ms")
            print(f"{'  layout shift; scripts and styles, compressed':<72} {shift:.3f}; {weight_kb:.0f} kB (0; under 120 kB)")


def bench_report() -> None:
    """The report of a site with 60 loads on 6 supplies, in a process of its own as the worker makes it: time, size and memory."""
    import subprocess

    script = (
        "import json, resource, sys, time\n"
        "from ypomoni.documents.report.making import make_pdf\n"
        "from ypomoni.documents.report.model import SECTIONS, ReportOrder\n"
        "site = json.load(sys.stdin)\n"
        "asked = ReportOrder(plan_key=site['plans'][0]['key'], base_key=None, sections=tuple(SECTIONS), paper='A4', organisation='Bench',"
        " made_by='Bench', made_at='', engine='', number=1)\n"
        "began = time.perf_counter()\n"
        "pdf = make_pdf(site, asked)\n"
        "print(time.perf_counter() - began, len(pdf), resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)\n"
    )
    told = subprocess.run(
        [sys.executable, "-c", script], input=json.dumps(big_site()), capture_output=True, text=True, check=True
    ).stdout.split()
    say("a report of 60 loads on 6 supplies", 1000 * float(told[0]), "under 5,000 ms")
    print(f"{'  its size; memory of the process':<72} {int(told[1]) / 1e3:.0f} kB; {int(told[2]) / 1024:.0f} MB (under 1 MB; under 250 MB)")


SITES_COUNT, SITE_LOADS_COUNT = 10_000, 30


def many_sites() -> Iterator[dict[str, Any]]:
    """Yield ten thousand sites of thirty loads on one to three supplies, drawn from a seed: some fail, some hold, one load in thirty has bursts."""
    draw = random.Random(20)
    for n in range(SITES_COUNT):
        count = draw.choice([1, 1, 2, 3])
        found = builders.document(site={"name": f"{draw.choice(['Mill', 'Lock', 'Quay', 'Barn'])} {n + 1}"})
        plan = found["plans"][0]
        supply, load = plan["supplies"][0], plan["loads"][0]
        plan["supplies"] = [
            builders.merged(
                supply,
                {
                    "key": f"s{k}",
                    "name": f"Panel {k + 1}",
                    "bank": {"capacity_ah": draw.choice([7, 12, 17, 26, 38, 65]), "age_y": draw.choice([0, 1, 2, 4])},
                },
            )
            for k in range(count)
        ]
        plan["loads"] = [
            builders.merged(
                load,
                {
                    "key": f"l{k}",
                    "name": f"Device {k + 1}",
                    "supply": f"s{k % count}",
                    "standby": {
                        "current_a": round(draw.uniform(0.004, 0.06), 4),
                        "provenance": draw.choice(["measured", "data_sheet", "estimate"]),
                    },
                    "bursts": [{"current_a": 0.5, "duration_s": 5, "per_hour": 2}] if draw.random() < 1 / 30 else [],
                },
            )
            for k in range(SITE_LOADS_COUNT)
        ]
        yield found


def bench_lists() -> None:
    """Ten thousand sites of thirty loads: all of them worked out anew as after a change of the engine, then the list, a search and what is due."""
    from datetime import UTC, datetime

    from ypomoni.actions.actor import Actor
    from ypomoni.actions.import_site import import_site
    from ypomoni.actions.working import refresh_once
    from ypomoni.storage.connection import transaction

    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    actor, today = Actor(organisation_id=1, account_id=None), datetime.now(UTC).date()
    with application() as app:
        pool, conninfo = app.extensions["pool"], app.extensions["cluster"].conninfo(DATABASE)
        began_s = time.monotonic()
        sites = many_sites()
        while some := list(itertools.islice(sites, 100)):
            with transaction(pool) as connection:
                for site in some:
                    import_site(connection, actor, read_site(site))
        print(f"{'  ' + str(SITES_COUNT) + ' sites brought in':<72} {time.monotonic() - began_s:>10.0f} s")
        with transaction(pool) as connection:
            connection.execute("ANALYZE")
        began_s = time.monotonic()
        while refresh_once(pool, conninfo, today):
            pass
        say(
            f"{SITES_COUNT} sites of {SITE_LOADS_COUNT} loads worked out anew, on {os.cpu_count()} cores",
            1000 * (time.monotonic() - began_s),
            "120,000 ms",
        )
        with psycopg.connect(conninfo, autocommit=True) as connection:
            # As a database that is run for real does by itself.
            connection.execute("VACUUM ANALYZE")
        client = Client(app)
        for name, address in (
            ("the list of sites", "/"),
            ("its last page", f"/?page={SITES_COUNT // 25}"),
            ("sorted by what is due", "/?sort=due"),
            ("sought by name and verdict", "/?words=quay+12&verdict=fails"),
            ("those with something due now", "/?due=now&sort=measured"),
            ("anything by its name", "/help/find?words=quay+12"),
            ("what is due", "/upkeep"),
            ("what is due, one kind at some sites", "/upkeep?kind=replace&words=mill"),
        ):
            assert client.get(address).status_code == 200
            say(f"{SITES_COUNT} sites: {name}", median_ms(lambda a=address: client.get(a), runs=5), "under 300 ms")


HOUR_COUNT = 36_000
LIVE_S = 20.0


def bench_live() -> None:
    """A meter at ten samples a second: what an hour of it takes of the page, and what recording and looking on take of the server."""
    from ypomoni.actions.actor import Actor
    from ypomoni.actions.recorder import Recorder
    from ypomoni.actions.recordings import Wanted, begin_recording, follow_recording
    from ypomoni.core.measuring.log_reading import read_log
    from ypomoni.instruments.protocol import MeterKind
    from ypomoni.instruments.simulated import SimulatedDevice, SimulatedMultimeter, SimulatedServer
    from ypomoni.storage.connection import transaction
    from ypomoni.storage.recordings import append_samples

    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    device = SimulatedDevice(name="d", modes={"idle": 0.062})
    actor = Actor(organisation_id=1, account_id=None, name="Bench")
    with application() as app, served(app) as address, sync_playwright() as playwright:
        pool, meter = app.extensions["pool"], SimulatedServer(SimulatedMultimeter(device=device)).start()
        with transaction(pool) as connection:
            wanted = Wanted(name="an hour", address=meter.address, kind=MeterKind.MULTIMETER, interval_s=0.1)
            row = begin_recording(connection, actor, wanted, ())
            for first in range(0, HOUR_COUNT, 10):
                times = [0.1 * (first + n) for n in range(10)]
                append_samples(
                    connection,
                    {
                        "organisation_id": 1,
                        "recording_id": row["id"],
                        "first_n": first,
                        "t_s": times,
                        "current_a": [0.06 + 0.001 * (n % 7) for n in range(10)],
                        "terminal_v": None,
                    },
                )
            connection.execute("UPDATE recording SET samples_count = %s WHERE id = %s", (HOUR_COUNT, row["id"]))
        browser = playwright.chromium.launch(**launch_options())
        page = open_page(browser, address, LAPTOP, "light")
        sign_in(page)
        heap = page.context.new_cdp_session(page)

        def heap_mb() -> float:
            heap.send("HeapProfiler.collectGarbage")
            return float(heap.send("Runtime.getHeapUsage")["usedSize"]) / 1e6

        page.goto(f"{address}/bench/")
        before_mb = heap_mb()
        page.goto(f"{address}/bench/logs/{row['id']}")
        page.wait_for_timeout(4_000)
        print(
            f"{'live page after an hour at ten samples a second, more than without':<72} {heap_mb() - before_mb:>10.1f} MB   aim: under 60 MB"
        )
        browser.close()
        recorder = Recorder(pool)
        recorder.start()
        time.sleep(1.0)
        began_s, began_cpu_s, n = time.monotonic(), time.process_time(), HOUR_COUNT
        while time.monotonic() - began_s < LIVE_S:
            _, samples = follow_recording(pool, actor, row["id"], n)
            n += len(samples.t_s)
            json.dumps(samples.t_s)
            time.sleep(0.5)
        # The meter itself lives in this process, too: what it takes is counted, and makes the figure too large.
        share = (time.process_time() - began_cpu_s) / (time.monotonic() - began_s)
        recorder.stop()
        meter.stop()
        print(f"{'recording it, with one who looks on, meter included':<72} {100 * share:>10.1f} %    aim: under 5 % of a core")
    million = [0.1 * k for k in range(1_000_000)]
    values = [0.062 + (0.9 if k % 2_400 < 70 else 0.0) + random.gauss(0, 0.004) for k in range(1_000_000)]
    say("a million samples read for rest, bursts and steps", median_ms(lambda: read_log(million, values), runs=3), "under 2,000 ms")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        # Those that are named alone, as in `python tools/bench.py live building`.
        for wanted in sys.argv[1:]:
            globals()[f"bench_{wanted}"]()
        raise SystemExit
    bench_live()
    bench_lists()
    bench_report()
    bench_paint()
    bench_board()
    bench_outage()
    bench_endurance()
    bench_power()
    bench_building()
    bench_seasons()
    bench_sizing()
    bench_pages()
    bench_register()
