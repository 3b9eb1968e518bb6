"""UPS or direct DC: ways to feed the loads of a supply set side by side, each put in its place and judged.

A way that cannot feed every load says which and why, and is never offered as a plan.
"""

from dataclasses import dataclass, replace
from enum import StrEnum

from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.living import fitted_with
from ypomoni.core.evaluation.recommending import NOT_OF_A_BANK, judge_figures, recommend_bank, risks_in, say_sold, severe_left
from ypomoni.core.outage.case import Case, hindrance_of
from ypomoni.core.outage.demand import mean_draw, peak_draw
from ypomoni.core.outage.identifying import identified
from ypomoni.core.outage.load_curve import USUAL_W_PER_VA, rated_w_of
from ypomoni.core.outage.loading import Quantity, amount_of, va_per_w
from ypomoni.core.telling.results import Band, SoldBank, SupplyResult
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Behaviour, Converter, ConverterKind, Load
from ypomoni.core.things.outputs import AcOutput, DcOutput, OverheadFrom
from ypomoni.core.things.supplies import Supply
from ypomoni.core.things.supply_kinds import SupplyKind

# UPS as they are sold. [VA]
SOLD_UPS_VA = (400.0, 550.0, 700.0, 900.0, 1000.0, 1500.0, 2200.0, 3000.0)
# Of converter and adaptor where nothing is said. [L]
CONVERTER_RATIO, ADAPTOR_RATIO = 0.9, 0.85
# What a DC supply without an inverter takes itself. [W, L]
DC_IDLE_W = 0.2
# A UPS that is proposed is rated for so much more than what runs on it. [M]
HEADROOM_RATIO = 1.25


class WayKind(StrEnum):
    """Which way to feed the loads."""

    AS_IT_IS = "as_it_is"
    SMALLER = "smaller"
    LARGER = "larger"
    UPS_FITTED = "ups_fitted"
    DC_SAME = "dc_same"
    DC_FITTED = "dc_fitted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Losses:
    """Where the power of a battery goes, on average in standby. [W]"""

    device_w: float
    adaptor_w: float
    converter_w: float
    overhead_w: float

    @property
    def whole_w(self) -> float:
        """All of it. [W]"""
        return self.device_w + self.adaptor_w + self.converter_w + self.overhead_w


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """One way: its supply with its loads, how long it holds and is recharged, where the power goes, and what it cannot do. [h]"""

    kind: WayKind
    name: str
    supply: Supply
    loads: tuple[Load, ...]
    battery: str
    result: SupplyResult
    band: Band | None
    losses: Losses
    price: float | None
    cannot: tuple[str, ...] = ()
    assumed: tuple[str, ...] = ()

    @property
    def price_per_hour(self) -> float | None:
        """What an hour of it costs, of its battery. None where no price is known."""
        hours_h = self.band.expected if self.band else 0.0
        return None if self.price is None or hours_h <= 0 else self.price / hours_h

    @property
    def may_be_planned(self) -> bool:
        """Whether it can be made a plan: it feeds every load, and nothing severe is left that a way could have avoided."""
        return not self.cannot and not self.severe and self.kind is not WayKind.AS_IT_IS

    @property
    def severe(self) -> str:
        """What danger or failure is left with it, in words; empty where nothing is."""
        return next((f.evidence for f in severe_left(self.result.findings, NOT_OF_A_BANK)), "")

    @property
    def risks(self) -> tuple[str, ...]:
        """What stays a risk with it, in words."""
        return risks_in(self.result.findings)


def ways_of(supply: Supply, loads: tuple[Load, ...]) -> tuple[Way, ...]:
    """Return the ways to feed the loads of a supply, the one that is there first; of other supplies than a UPS that one alone."""
    if hindrance_of(supply, loads) is not None or supply.bank is None:
        return ()
    now = _way(WayKind.AS_IT_IS, supply.name, supply, loads)
    if not supply.of_kind.is_inverter or supply.ac is None:
        fitted = _fitted(supply, loads)
        return (
            (now,)
            if fitted is None
            else (now, _way(WayKind.DC_FITTED, f"{supply.name} with the battery that just meets it", fitted, loads, sold=True))
        )
    found = [now]
    for kind, other in _other_sizes(supply):
        scaled = "" if supply.ac.overhead_w is None else ", its overhead in proportion to its rating"
        name = f"UPS of {other.ac.rated_va:g} VA, same battery" if other.ac else ""
        assumed = (f"a UPS of that size{scaled}, as efficient as this one",)
        found.append(_way(kind, name, other, loads, cannot=_short_of_headroom(other, loads), assumed=assumed))
    fitted = _fitted(supply, loads)
    if fitted is not None:
        found.append(_way(WayKind.UPS_FITTED, "this UPS with the battery that just meets it", fitted, loads, sold=True))
    direct, direct_loads, cannot, assumed = _direct(supply, loads)
    found.append(_way(WayKind.DC_SAME, "DC supply, same battery", direct, direct_loads, cannot=cannot, assumed=assumed))
    dc_fitted = _fitted(direct, direct_loads) if not cannot else None
    if dc_fitted is not None:
        found.append(
            _way(WayKind.DC_FITTED, "DC supply with the battery that just meets it", dc_fitted, direct_loads, assumed=assumed, sold=True)
        )
    return tuple(found)


def _way(
    kind: WayKind,
    name: str,
    supply: Supply,
    loads: tuple[Load, ...],
    *,
    cannot: tuple[str, ...] = (),
    assumed: tuple[str, ...] = (),
    sold: bool = False,
) -> Way:
    case = Case(supply, loads)
    # In full: a way that holds on paper only must not look like one that holds.
    result = judge_figures(supply, loads, compute_figures(supply, loads, in_full=True))
    bank = case.bank
    block = SoldBank(
        chemistry=bank.chemistry_key,
        block_v=bank.block_v,
        capacity_ah=bank.capacity_ah,
        rate_h=bank.rate_h,
        series=bank.series,
        parallel=bank.parallel,
    )
    return Way(
        kind=kind,
        name=name,
        supply=supply,
        loads=loads,
        battery=f"{'new ' if sold else ''}{say_sold(block)}",
        result=result,
        band=result.holdover,
        losses=losses_of(case),
        price=price_of(supply, bank),
        cannot=cannot,
        assumed=assumed,
    )


def price_of(supply: Supply, bank: Bank) -> float | None:
    """Return what a bank of such blocks costs by the stock list; None where that has no price of them."""
    for block in supply.stock:
        same = block.chemistry_key == bank.chemistry_key and block.block_v == bank.block_v and block.capacity_ah == bank.capacity_ah
        if same and block.price is not None:
            return block.price * bank.series * bank.parallel
    return None


def losses_of(case: Case) -> Losses:
    """Return where the power of a battery goes in standby, its voltage taken as nominal. [W]"""
    supply = case.supply
    battery_w = output_w = device_w = adaptor_w = 0.0
    for c in case.currents:
        draw = mean_draw(c, in_alarm=False)
        taken_w = draw.at_nominal_a(supply.nominal_v) * supply.nominal_v
        # From the battery outwards: each stage takes its share, and what is left goes on to the next.
        given_w = taken_w * supply.feed.efficiency_ratio if supply.feed else taken_w
        at_device_w = given_w
        if c.load.converter is not None and c.load.converter.kind is ConverterKind.SWITCHING:
            at_device_w = given_w * c.load.converter.efficiency_ratio
        elif c.load.converter is not None:
            fed_v = supply.fed_v
            at_device_w = given_w * min(1.0, c.load.rail_v / fed_v)
        if c.load.ac is not None and c.load.ac.dc_v is not None and supply.of_kind.is_inverter:
            kept_w = at_device_w * (c.load.ac.adaptor_ratio or ADAPTOR_RATIO)
            adaptor_w += at_device_w - kept_w
            device_w += kept_w
        else:
            device_w += at_device_w
        battery_w += taken_w
        output_w += at_device_w
    overhead_w = supply.own_draw.at_nominal_a(supply.nominal_v) * supply.nominal_v
    return Losses(device_w=device_w, adaptor_w=adaptor_w, converter_w=battery_w - output_w, overhead_w=overhead_w)


def _fitted(supply: Supply, loads: tuple[Load, ...]) -> Supply | None:
    """Return a supply with the sold bank that just meets its requirement; None where none does, or nothing is missing."""
    case = Case(supply, loads)
    advice = recommend_bank(case)
    return None if advice.bank is None else fitted_with(case.supply, advice.bank)


def _running(case: Case, quantity: Quantity) -> float:
    """Return the most that runs on an output at once, in standby or in alarm. [W or VA]"""
    return max(amount_of(case.supply, quantity, case.currents, peak_draw, in_alarm=state) for state in (False, True))


def _short_of_headroom(supply: Supply, loads: tuple[Load, ...]) -> tuple[str, ...]:
    """Return why a UPS is too small to be proposed: its rating leaves less than a quarter above what runs on it."""
    if supply.ac is None:
        return ()
    case = Case(supply, loads)
    found: list[str] = []
    for quantity, rated in ((Quantity.WATTS, rated_w_of(supply.ac)), (Quantity.VOLT_AMPERES, supply.ac.rated_va)):
        running = _running(case, quantity)
        if rated is not None and rated < HEADROOM_RATIO * running * (1 - 1e-9):
            found.append(
                f"{running:.0f} {quantity.value} run on it, and it is rated {rated:.0f} {quantity.value}: less than a quarter is left"
            )
    return tuple(found)


def _other_sizes(supply: Supply) -> list[tuple[WayKind, Supply]]:
    """Return the UPS of the next size down and up, with the same battery. Overhead grows with the rating."""
    output = identified(supply).ac
    if output is None or output.rated_va is None:
        return []
    # A UPS of the same family: watts per volt-ampere and overhead per volt-ampere stay as they are.
    w_per_va = rated_w_of(output) / output.rated_va
    per_va = output.burns_w / output.rated_va
    found: list[tuple[WayKind, Supply]] = []
    down = max((va for va in SOLD_UPS_VA if va < output.rated_va * 0.99), default=None)
    up = min((va for va in SOLD_UPS_VA if va > output.rated_va * 1.01), default=None)
    for kind, va in ((WayKind.SMALLER, down), (WayKind.LARGER, up)):
        if va is None:
            continue
        # A guessed overhead stays a guess, with its uncertainty.
        overhead_w = None if output.is_overhead_guessed else per_va * va
        other: AcOutput = replace(
            output, rated_va=va, rated_w=round(w_per_va * va), overhead_w=overhead_w, overhead_from=OverheadFrom.STATED
        )
        found.append((kind, replace(identified(supply), ac=other, name=f"UPS {va:g} VA")))
    return found


def _direct(supply: Supply, loads: tuple[Load, ...]) -> tuple[Supply, tuple[Load, ...], tuple[str, ...], tuple[str, ...]]:
    """Return a DC supply on the same battery with the loads that run on DC, what it cannot feed, and what is assumed of it."""
    known = identified(supply)
    direct = replace(
        known,
        name=f"DC supply for {supply.name}",
        kind=SupplyKind.DC_UPS,
        ac=None,
        dc=DcOutput(output_v=known.nominal_v, efficiency_ratio=None, idle_power_w=DC_IDLE_W),
        output_limit_a=None,
        supply_current_a=None,
    )
    fed: list[Load] = []
    cannot: list[str] = []
    guessed: list[str] = []
    for load in loads:
        if load.converter is None and (load.ac is None or load.ac.dc_v is None):
            cannot.append(f"{load.name} runs on AC only, as far as is known")
            continue
        if load.ac is not None and load.ac.adaptor_ratio is None:
            guessed.append(load.name)
        fed.append(on_dc(load))
    # With mains on it must carry its loads and charge as strongly as the UPS did.
    standby_a = Case(direct, tuple(fed)).mean_current_a(in_alarm=False)
    if known.charge_limit_a is not None:
        direct = replace(direct, supply_current_a=round(known.charge_limit_a + 1.2 * standby_a, 2))
    assumed = [f"a converter of {CONVERTER_RATIO:.0%} for each load that runs at another voltage", f"{DC_IDLE_W:g} W idle"]
    if guessed:
        assumed.append(f"adaptors of {ADAPTOR_RATIO:.0%} today ({', '.join(guessed[:3])})")
    return direct, tuple(fed), tuple(cannot), tuple(assumed)


def on_dc(load: Load) -> Load:
    """Return a load as it would hang on a DC supply: without its adaptor, behind a converter that makes its voltage."""
    if load.ac is None or load.ac.dc_v is None:
        return load
    ratio = load.ac.adaptor_ratio or ADAPTOR_RATIO
    # The same device watts at another voltage: what its adaptor lost is no longer drawn.
    scale = ratio * load.rail_v / load.ac.dc_v
    standby = replace(load.standby, current_a=load.standby.current_a * scale, uncertainty_a=None, reading_key=None)
    return replace(
        load,
        rail_v=load.ac.dc_v,
        ac=None,
        min_v=None,
        behaviour=Behaviour.CONSTANT_POWER,
        converter=Converter(kind=ConverterKind.SWITCHING, efficiency_ratio=CONVERTER_RATIO),
        standby=standby,
        alarm=standby
        if load.alarm_is_standby
        else replace(load.alarm, current_a=load.alarm.current_a * scale, uncertainty_a=None, reading_key=None),
        bursts=tuple(replace(b, current_a=b.current_a * scale) for b in load.bursts),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class UpsSize:
    """What a UPS for these loads must give, and the next size sold; None where none is large enough. [W, VA]"""

    running_w: float
    running_va: float
    starting_va: float
    sold_va: float | None
    inrush_unknown: tuple[str, ...]


def ups_size(supply: Supply, loads: tuple[Load, ...]) -> UpsSize | None:
    """Return the size of a UPS for what runs together: watts, volt-amperes, and the largest inrush beside the rest; None of a DC supply."""
    if not supply.of_kind.is_inverter or supply.ac is None:
        return None
    case = Case(supply, loads)
    running_w, running_va = _running(case, Quantity.WATTS), _running(case, Quantity.VOLT_AMPERES)
    more_va = 0.0
    for c in case.currents:
        if c.load.ac is not None and c.load.ac.inrush_va is not None and c.load.feed is not None:
            # One device starts at a time, while all others run already.
            runs_va = c.load.standby.current_a * c.load.output_w_per_amp * va_per_w(c.load)
            more_va = max(more_va, c.load.ac.inrush_va - runs_va)
    w_per_va = rated_w_of(supply.ac) / supply.ac.rated_va if supply.ac.rated_va else USUAL_W_PER_VA
    # A UPS must bear both: what runs for good in watts, what starts in volt-amperes.
    starting_va = running_va + more_va
    sold = min(
        (va for va in SOLD_UPS_VA if va >= max(starting_va, HEADROOM_RATIO * running_va) and va * w_per_va >= HEADROOM_RATIO * running_w),
        default=None,
    )
    unknown = tuple(load.name for load in loads if load.ac is None or load.ac.inrush_va is None)
    return UpsSize(running_w=running_w, running_va=running_va, starting_va=starting_va, sold_va=sold, inrush_unknown=unknown)
