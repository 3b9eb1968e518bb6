"""UPS or direct DC, hours against load, and the bench: what is promised of a way is what its plan holds."""

import pytest
from builders import case_of, core_plan, document, evaluate, ups, watts

from ypomoni.core.evaluation.ways import WayKind, ups_size, ways_of
from ypomoni.core.measuring.supply_bench import SupplyBench, judge_bench
from ypomoni.core.outage.case import Case
from ypomoni.core.outage.load_curve import crossing_w, hours_at, load_curve
from ypomoni.core.things.batteries import StockBlock


def ways(loads, **more):
    plan = core_plan(document(ups(**more), loads, requirement={"standby_h": 4, "alarm_min": 0}))
    return {w.kind: w for w in ways_of(plan.supplies[0], plan.loads_on("s"))}


def on_dc(power_w, **ac):
    return watts(power_w, ac={"power_w": power_w, "dc_v": 12, **ac})


def test_ways_hold_what_their_supply_with_its_loads_holds():
    """Every way is computed as any supply is; the larger UPS burns more, DC lasts longer; the power adds up to the battery's."""
    found = ways([on_dc(9), on_dc(14)], ac={"rated_va": 1500, "rated_w": 900, "overhead_w": None}, bank={"capacity_ah": 9})
    assert {WayKind.AS_IT_IS, WayKind.SMALLER, WayKind.LARGER, WayKind.UPS_FITTED, WayKind.DC_SAME, WayKind.DC_FITTED} == set(found)
    for way in found.values():
        case = Case(way.supply, way.loads)
        assert way.band.expected == pytest.approx(case.holdover().holdover_h)
        assert way.losses.whole_w == pytest.approx(case.mean_current_a(in_alarm=False) * way.supply.nominal_v)
    hours = {kind: way.band.expected for kind, way in found.items()}
    assert hours[WayKind.LARGER] < hours[WayKind.AS_IT_IS] < hours[WayKind.SMALLER] < hours[WayKind.DC_SAME]
    for kind in (WayKind.UPS_FITTED, WayKind.DC_FITTED):
        assert hours[kind] >= 4
        assert not [f for f in found[kind].result.findings if f.severity in ("danger", "fails")]
    assert found[WayKind.DC_SAME].losses.device_w == pytest.approx(found[WayKind.AS_IT_IS].losses.device_w)


def test_a_load_on_ac_only_keeps_direct_dc_from_being_planned():
    """It is named; with its adaptor's voltage known it may be."""
    found = ways([watts(9, name="Printer"), on_dc(14)])
    assert "Printer runs on AC only" in found[WayKind.DC_SAME].cannot[0]
    assert not found[WayKind.DC_SAME].may_be_planned
    assert WayKind.DC_FITTED not in found


def test_a_way_that_is_a_danger_or_fails_is_no_plan_and_risks_are_told():
    """A lithium bank charged far above its cells, whatever feeds the loads; and its innocent twin. A UPS that burns more on the same battery is too short."""
    short = ways([watts(20)], bank={"capacity_ah": 7})[WayKind.LARGER]
    assert short.band.expected < 4
    assert not short.may_be_planned
    assert "holds" in short.severe
    lithium = {"chemistry": "lifepo4", "block_v": 12.8, "capacity_ah": 20}
    for charge_v, may in ((15.6, False), (14.2, True)):
        plan = core_plan(
            document(ups(bank=lithium, charge_v=charge_v, current_limited=True), [watts(20)], requirement={"standby_h": 2, "alarm_min": 0})
        )
        larger = next(w for w in ways_of(plan.supplies[0], plan.loads_on("s")) if w.kind is WayKind.LARGER)
        assert larger.may_be_planned is may
        assert bool(larger.severe) is not may
        assert set(larger.risks) == {f.evidence for f in larger.result.findings if f.severity == "risk"}


def test_a_price_is_that_of_the_stock_or_none():
    """None is invented; with one an hour costs what the battery does over its hours."""
    plan = core_plan(document(ups(), [watts(20)], requirement={"alarm_min": 0}))
    supply = plan.supplies[0]
    assert ways_of(supply, plan.loads_on("s"))[0].price is None
    stock = (StockBlock(chemistry_key="lead_agm", block_v=12, capacity_ah=17, price=40.0),)
    way = ways_of(type(supply)(**{n: getattr(supply, n) for n in supply.__slots__} | {"stock": stock}), plan.loads_on("s"))[0]
    assert (way.price, way.price_per_hour) == (40.0, pytest.approx(40.0 / way.band.expected))


def test_the_curve_is_the_holdover_of_each_load():
    """At any point a load of so many watts holds as long; two UPS cross where they last alike."""
    curve = load_curve(case_of(ups(), [watts(20)]).supply, 20.0)
    for point in curve.points[5:30:8]:
        held = evaluate(supply=ups(), loads=[watts(point.output_w)], requirement={"alarm_min": 0}).holdover.expected
        assert point.run_h == pytest.approx(held, rel=2e-3)
        assert point.overhead_ratio == pytest.approx(14 / (14 + point.output_w / 0.85))
    small, large = (
        case_of(ups(ac={"rated_va": va, "rated_w": 0.6 * va, "overhead_w": None}, bank={"capacity_ah": ah}), [watts(20)]).supply
        for va, ah in ((550, 7), (1500, 12))
    )
    at_w = crossing_w(small, large)
    assert hours_at(small, at_w) == pytest.approx(hours_at(large, at_w), rel=1e-3)
    assert hours_at(small, 0.5 * at_w) > hours_at(large, 0.5 * at_w)


def test_a_ups_is_sized_by_what_runs_and_what_starts():
    """Watts and volt-amperes at the peak, the largest start beside the rest, the next size sold."""
    loads = [watts(200, ac={"apparent_va": 300, "inrush_va": 900}), watts(100, ac={"apparent_va": 150})]
    plan = core_plan(document(ups(), loads))
    size = ups_size(plan.supplies[0], plan.loads_on("s"))
    assert (size.running_w, size.running_va, size.starting_va, size.sold_va) == pytest.approx((300, 450, 1050, 1500))
    assert size.inrush_unknown == ("Recorder",)


BENCHED = SupplyBench(name="b", chemistry_key="li_ion", cells_count=1, capacity_ah=3, output_v=5, idle_current_a=0.001, cutoff_v=2.9)


@pytest.mark.parametrize(
    ("changes", "verdict", "code"),
    [
        ({}, "holds", "bench_protects"),
        ({"cutoff_v": None, "tried_down_to_v": 2.3}, "unsafe", "bench_no_cutoff"),
        ({"cutoff_v": None, "tried_down_to_v": 2.9}, "on_paper_only", "bench_cutoff_not_reached"),
        ({"cutoff_v": None}, "unknown", "bench_cutoff_not_tried"),
        ({"cutoff_v": 2.2}, "unsafe", "bench_cutoff_low"),
        ({"idle_current_a": 0.02}, "on_paper_only", "bench_idle"),
        ({"sleep_below_a": 0.06, "sleep_after_s": 30}, "on_paper_only", "bench_sleeps"),
        ({"passes_through": True}, "on_paper_only", "bench_passes_through"),
        ({"cells_count": 6, "chemistry_key": "lead_agm", "cutoff_v": None, "tried_down_to_v": 10.0}, "on_paper_only", "bench_no_cutoff"),
    ],
)
def test_a_bench_record_ends_in_a_verdict_with_its_reasons(changes, verdict, code):
    """What can hurt is unsafe, what was not tried is not called good."""
    values = {n: getattr(BENCHED, n) for n in BENCHED.__slots__} | changes
    found, findings = judge_bench(SupplyBench(**values))
    assert found == verdict
    assert code in {f.code for f in findings}
