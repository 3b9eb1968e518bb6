"""How to build what a supply needs: ways to a bank side by side, each put back and judged, and the wiring with its fuse, isolator and leads."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache

from ypomoni.core.evaluation.figures import compute_figures
from ypomoni.core.evaluation.living import fitted_with
from ypomoni.core.evaluation.recommending import (
    NOT_OF_A_BANK,
    Advice,
    judge_figures,
    needed_ah,
    recommend_bank,
    risks_in,
    say_sold,
    severe_left,
)
from ypomoni.core.judgement.cables import LOST_RATIO, carried_v
from ypomoni.core.judgement.protection import ISOLATED_FROM_AH, ISOLATED_FROM_V
from ypomoni.core.outage.case import Case, has_known_currents, hindrance_of
from ypomoni.core.outage.demand import mean_draw, peak_draw
from ypomoni.core.outage.identifying import identified
from ypomoni.core.requirements import Method
from ypomoni.core.sizing import c20_of, sold_banks
from ypomoni.core.telling.results import Band, SoldBank, Step, SupplyResult, Verdict, Working, WorkingInput
from ypomoni.core.telling.wording import (
    say_amp_hours,
    say_amp_hours_needed,
    say_amps,
    say_amps_at_least,
    say_hours,
    say_required_h,
    say_span,
    say_volts,
)
from ypomoni.core.things.batteries import Bank, StockBlock
from ypomoni.core.things.charge_setting import withstands_v
from ypomoni.core.things.loads import Load
from ypomoni.core.things.protection import Lead, Protection
from ypomoni.core.things.supplies import Supply
from ypomoni.core.units import SECONDS_PER_HOUR
from ypomoni.core.wiring.arrangement import arrangement_of
from ypomoni.core.wiring.cables import AMPACITY_SOURCE, ampacity_a, drop_v, section_for
from ypomoni.core.wiring.fuses import (
    CONTINUOUS_RATIO,
    ROUNDING,
    FuseNeed,
    breaks_of,
    fuse_kind_of,
    fuse_need,
    greatest_multiple,
    sold_fuse_a,
    sold_fuse_v,
)
from ypomoni.core.wiring.plan import DEFAULT_LEAD_M, USUAL_LEAD_DROP_RATIO, Choice, WiringPlan, choose, wire

# So many ways are told apart on one page.
MOST_WAYS = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class BankWay:
    """One bank that could be fitted: its hours, its recharge with the charger that is there, what it weighs and costs, and what is said of it.

    ``refused`` says why it is not offered; empty where it is. What is None is not known.
    """

    sold: SoldBank
    name: str
    c20_ah: float
    result: SupplyResult
    price: float | None
    weight_kg: float | None
    block_mm: tuple[float, float, float] | None
    risks: tuple[str, ...] = ()
    refused: str = ""
    is_recommended: bool = False
    reason: str = ""

    @property
    def band(self) -> Band | None:
        """How long it holds. [h]"""
        return self.result.holdover

    @property
    def blocks_count(self) -> int:
        """How many blocks it takes."""
        return self.sold.series * self.sold.parallel


@lru_cache(maxsize=64)
def bank_ways(supply: Supply, loads: tuple[Load, ...]) -> tuple[tuple[BankWay, ...], str]:
    """Return ways to the bank a supply needs, the recommended one first, those that are not offered last; and why none is, where none is."""
    if supply.bank is None or hindrance_of(supply, loads) is not None:
        return (), "How long it holds cannot be computed, so no battery can be named."
    case = Case(supply, loads)
    if case.draws_nothing:
        return (), "Nothing draws from it yet, so nobody can say how large its battery must be."
    advice, least_ah = recommend_bank(case), needed_ah(case)
    found = [_way(supply, loads, sold, advice, least_ah) for sold in _candidates(case, advice, least_ah)]
    found.sort(key=lambda w: (not w.is_recommended, bool(w.refused), w.sold.parallel, w.c20_ah))
    return tuple(found), "" if advice.bank else advice.reason or ""


def _candidates(case: Case, advice: Advice, least_ah: float | None) -> list[SoldBank]:
    """Return the banks that are worth a look: what is recommended, the sizes around what is needed, and the smallest of more strings."""
    banks = sold_banks(case.bank.chemistry_key, case.bank.bank_v, case.supply.stock)
    found: list[SoldBank] = [] if advice.bank is None else [advice.bank]
    enough = [b for b in banks if least_ah is not None and c20_of(b) >= least_ah]
    for parallel, most in ((1, 2), (2, 1), (3, 1)):
        # Many would look alike; of each number of strings those that only just do are the ones to weigh against each other.
        found += [b for b in enough if b.parallel == parallel][:most]
    # More of what is there, and the size that is just too small.
    own = (case.bank.block_v, case.bank.capacity_ah, case.bank.rate_h)
    found += [b for b in enough if (b.block_v, b.capacity_ah, b.rate_h) == own][:1]
    found = list(dict.fromkeys(found))[: MOST_WAYS - 1]
    # The one just too small is shown with its reason: it is what somebody would otherwise buy.
    return found + [b for b in banks if b.parallel == 1 and b not in enough][-1:]


def _way(supply: Supply, loads: tuple[Load, ...], sold: SoldBank, advice: Advice, least_ah: float | None) -> BankWay:
    fitted = wired(fitted_with(supply, sold), loads)
    result = judge_figures(fitted, loads, compute_figures(fitted, loads, in_full=True))
    left = severe_left(result.findings, NOT_OF_A_BANK)
    block = _stock_of(supply, sold)
    is_recommended = sold == advice.bank
    refused = left[0].evidence if left else ""
    if not refused and (least_ah is None or c20_of(sold) < least_ah):
        refused = "No capacity is enough." if least_ah is None else _too_small(supply, c20_of(sold), least_ah)
    return BankWay(
        sold=sold,
        name=say_sold(sold),
        c20_ah=c20_of(sold),
        result=result,
        price=None if block is None or block.price is None else block.price * sold.series * sold.parallel,
        weight_kg=None if block is None or block.weight_kg is None else block.weight_kg * sold.series * sold.parallel,
        block_mm=_size_of(block),
        risks=risks_in(result.findings),
        refused=refused,
        is_recommended=is_recommended,
        reason=_why(sold, supply) if is_recommended else "",
    )


def _too_small(supply: Supply, c20_ah: float, least_ah: float) -> str:
    """Say why a bank that holds today is not offered all the same."""
    method = supply.requirement.method
    by = "old and in the cold at once" if method is Method.SIMULATION else "by the method that is prescribed, or old and in the cold"
    return f"It has {say_amp_hours(c20_ah, 3)}, and {say_amp_hours_needed(least_ah, 3)} are needed {by}."


def _why(sold: SoldBank, supply: Supply) -> str:
    """Say why a bank is the recommended one."""
    strings = "One string shares nothing" if sold.parallel == 1 else f"{sold.parallel} strings are the fewest that do"
    charged = ", and the charger that is there brings it back in time" if supply.requirement.recharge_h and supply.has_charger else ""
    return f"{strings}; it is the smallest that is sold and carries it old and cold{charged}."


def _stock_of(supply: Supply, sold: SoldBank) -> StockBlock | None:
    return next(
        (
            b
            for b in supply.stock
            if (b.chemistry_key, b.block_v, b.capacity_ah, b.rate_h) == (sold.chemistry, sold.block_v, sold.capacity_ah, sold.rate_h)
        ),
        None,
    )


def _size_of(block: StockBlock | None) -> tuple[float, float, float] | None:
    if block is None or block.width_mm is None or block.depth_mm is None or block.height_mm is None:
        return None
    return block.width_mm, block.depth_mm, block.height_mm


# -- the wiring ------------------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Protected:
    """A bank with its wiring: what must flow, what is chosen for it and why, and what cannot be chosen; ``plan`` None where nothing can be."""

    bank: Bank
    need: FuseNeed
    choice: Choice | None
    plan: WiringPlan | None
    bears_v: float
    protection: Protection | None
    breaks_a: float
    workings: dict[str, Working]
    # What of it is assumed, and what stands in the way.
    assumed: tuple[str, ...] = ()
    refused: str = ""

    @property
    def fuse_dc_v(self) -> float | None:
        """The DC voltage the chosen fuse is rated for; None without one. [V]"""
        return self.protection.fuse_dc_v if self.protection else None

    @property
    def chosen_breaks_a(self) -> float | None:
        """What the chosen fuse breaks; None: only its data sheet says it. [A]"""
        chosen = self.protection
        if chosen is None or chosen.fuse_a is None:
            return None
        return breaks_of(fuse_kind_of(chosen.fuse_a, chosen.fuse_kind), chosen.fuse_dc_v, chosen.fuse_breaks_a)

    @property
    def enough_a(self) -> float | None:
        """The smallest sold fuse that carries all, where a larger one is chosen because a blade fuse does not break a short circuit. [A]"""
        enough_a = sold_fuse_a(self.need.for_rating)
        chosen_a = self.choice.fuse_a if self.choice else None
        return enough_a if enough_a is not None and chosen_a is not None and enough_a < chosen_a else None

    @property
    def replaces_mm2(self) -> float | None:
        """The cross-section of a lead that is there and too thin; None where it stays, or none is known. [mm²]"""
        lead = self.bank.lead
        return None if lead is None or self.choice is None or self.choice.lead_mm2 <= lead.section_mm2 else lead.section_mm2


def protect(supply: Supply, loads: tuple[Load, ...]) -> Protected | None:
    """Return the wiring of a supply's bank with fuse, isolator and leads; None without a bank."""
    bank = supply.bank
    if bank is None:
        return None
    need = fuse_need(supply, Case(supply, loads) if has_known_currents(supply, loads) else None)
    protection, lead = bank.protection, bank.lead
    bears_v = withstands_v(supply, bank)
    assumed: list[str] = []
    if lead is None:
        assumed.append(f"a lead of {DEFAULT_LEAD_M:g} m: enter its length and section")
    if need.standby_a is None:
        assumed.append("nothing of the loads: what they draw is not known")
    if need.charge_a is None:
        assumed.append("nothing of the charger: its limit is not entered")
    fuse, why_fuse = _fuse_for(bank, need, bears_v)
    isolated = bank.rated_c20_ah >= ISOLATED_FROM_AH or bank.bank_v >= ISOLATED_FROM_V
    isolator = isolated or bool(protection and protection.isolator)
    lead_m = DEFAULT_LEAD_M if lead is None else lead.length_m
    choice = None
    if fuse is not None and fuse.fuse_a is not None:
        there_mm2 = None if lead is None else lead.section_mm2
        choice = choose(
            bank,
            need,
            fuse_a=fuse.fuse_a,
            isolator=isolator,
            lead_m=lead_m,
            lead_mm2=there_mm2,
            breaks_a=fuse.fuse_breaks_a,
        )
    if choice is None:
        fuse = None
    plan = None if choice is None else wire(arrangement_of(bank), choice)
    return Protected(
        bank=bank,
        need=need,
        choice=choice,
        plan=plan,
        bears_v=bears_v,
        protection=fuse and replace(fuse, isolator=isolator, string_fuses=choice is not None and choice.string_fuse_a is not None),
        breaks_a=bank.short_circuit_a,
        workings=_workings(bank, need, choice),
        assumed=tuple(assumed),
        refused=why_fuse or ("" if choice else "No listed cable and string fuse go with such a fuse. Have the protection designed."),
    )


def wired(supply: Supply, loads: tuple[Load, ...]) -> Supply:
    """Return a supply whose bank is protected and led as `protect` chooses; as it is where nothing can be chosen."""
    protected = protect(supply, loads)
    if protected is None or protected.choice is None:
        return supply
    choice, bank, protection = protected.choice, protected.bank, protected.protection
    lead = Lead(length_m=choice.lead_m, section_mm2=choice.lead_mm2)
    return replace(supply, bank=replace(bank, protection=protection, lead=lead))


def _fuse_for(bank: Bank, need: FuseNeed, bears_v: float) -> tuple[Protection | None, str]:
    """Return the fuse to fit: the one that is there if it passes every test, otherwise the smallest that is sold and does; or why none."""
    there, lead = bank.protection, bank.lead
    if there is not None and there.fuse_a is not None and lead is not None and _stays(bank, there, need, bears_v):
        return there, ""
    rating = need.for_rating
    if rating.least_a <= 0:
        return None, "Nothing is known to flow through it: enter the loads and the charger first."
    dc_v = sold_fuse_v(bears_v)
    if dc_v is None:
        return None, f"The battery reaches {say_volts(bears_v)}: no listed fuse is rated for that. Have the protection designed."
    fuse_a = sold_fuse_a(rating, short_circuit_a=bank.short_circuit_a)
    enough_a = sold_fuse_a(rating)
    if enough_a is None:
        return None, (
            f"The battery fuse must carry {say_amps_at_least(rating.least_a)}: no fuse that goes with a listed cable does. "
            "Have the protection designed, or share the loads."
        )
    if fuse_a is None:
        return None, (
            f"The battery gives about {say_amps(bank.short_circuit_a, 2)} into a short circuit (2000 A breaking capacity of a bolted fuse). "
            f"Choose a fuse of {say_amps(enough_a)} or more whose data sheet states {say_amps_at_least(bank.short_circuit_a)} at {say_volts(dc_v)} DC, "
            "enter the fuse with that figure and its cable, and the wiring is drawn with it. If in doubt, have the protection designed."
        )
    return Protection(fuse_a=fuse_a, fuse_dc_v=dc_v, fuse_kind=fuse_kind_of(fuse_a)), ""


def _stays(bank: Bank, there: Protection, need: FuseNeed, bears_v: float) -> bool:
    """Return whether a fuse that is there carries all, is rated for the voltage, breaks a short circuit, and protects its lead."""
    if there.fuse_a is None or bank.lead is None:
        return False
    kind = fuse_kind_of(there.fuse_a, there.fuse_kind)
    breaks_a = breaks_of(kind, there.fuse_dc_v, there.fuse_breaks_a)
    return (
        need.for_rating.is_carried_by(there.fuse_a, kind)
        and there.fuse_a <= ampacity_a(bank.lead.section_mm2) * (1 + ROUNDING)
        and (there.fuse_dc_v is None or there.fuse_dc_v >= bears_v * (1 - ROUNDING))
        and (breaks_a is None or bank.short_circuit_a <= breaks_a * (1 + ROUNDING))
    )


def _workings(bank: Bank, need: FuseNeed, choice: Choice | None) -> dict[str, Working]:
    rating = need.for_rating
    hardest = rating.hardest
    pulse_a, multiple = (hardest.current_a, greatest_multiple(hardest.duration_s)) if hardest else (0.0, 1.0)
    lasting = f"for {say_span(hardest.duration_s / SECONDS_PER_HOUR)}" if hardest else "none"
    inputs = (
        WorkingInput(
            symbol="I_s", meaning="standby, loads at the high end, effective over 10 min", value=rating.standby_a or 0.0, unit="A"
        ),
        WorkingInput(symbol="I_a", meaning="alarm, loads at the high end, effective over 10 min", value=rating.alarm_a or 0.0, unit="A"),
        WorkingInput(symbol="I_c", meaning="charge, loads off", value=rating.charge_a or 0.0, unit="A"),
        WorkingInput(symbol="I_p", meaning=f"pulse that asks for the largest fuse, {lasting}", value=pulse_a, unit="A"),
        WorkingInput(symbol="x_p", meaning="multiple of its rating a blade fuse carries for so long", value=multiple, unit=""),
    )
    steps = (
        Step(symbol="I_d", expression="max(I_s, I_a, I_c)", value=rating.continuous_a, unit="A"),
        Step(symbol="I_F", expression=f"max({CONTINUOUS_RATIO:g} * I_d, I_p / x_p)", value=rating.least_a, unit="A"),
    )
    found = {
        "fuse": Working(
            title="Least rating of the battery fuse",
            value=rating.least_a,
            unit="A",
            source="1.25 times the greatest effective current of any 10 min; pulses by the earliest opening of a blade fuse "
            "(ISO 8820-3, check the edition in force) [M]",
            inputs=inputs,
            steps=steps,
        ),
        "short": _short_working(bank),
    }
    if choice is not None:
        found["lead"] = _lead_working(bank, need, choice)
    return found


def _short_working(bank: Bank) -> Working:
    e_v, i_a = bank.full_v, bank.short_circuit_a
    return Working(
        title="Current into a dead short",
        value=i_a,
        unit="A",
        source="E over the resistance at 1 kHz, about half of the model's [M]",
        inputs=(
            WorkingInput(symbol="E", meaning="bank full and at rest", value=e_v, unit="V"),
            WorkingInput(symbol="R", meaning="bank at 1 kHz, new and warm", value=e_v / i_a, unit="Ω"),
        ),
        steps=(Step(symbol="I_k", expression="E / R", value=i_a, unit="A"),),
    )


def _lead_working(bank: Bank, need: FuseNeed, choice: Choice) -> Working:
    lost_v = drop_v(need.greatest_a, choice.lead_m, choice.lead_mm2)
    return Working(
        title="Drop in the battery lead",
        value=lost_v,
        unit="V",
        source=f"ΔU = 2·L·I·ρ/A, copper (IEC 60028); at most {USUAL_LEAD_DROP_RATIO:.0%} of {bank.bank_v:g} V. {AMPACITY_SOURCE}",
        inputs=(
            WorkingInput(symbol="L", meaning="length one way", value=choice.lead_m, unit="m"),
            WorkingInput(symbol="I", meaning="greatest current", value=need.greatest_a, unit="A"),
            WorkingInput(symbol="A", meaning="cross-section", value=choice.lead_mm2, unit="mm²"),
        ),
        steps=(Step(symbol="U", expression="2 * L * I * 0.01724 / A", value=lost_v, unit="V"),),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PlaceDrop:
    """What a lead to somewhere loses in standby, in alarm and at its peak, what it may, and the section that would be enough. [V, mm²]"""

    name: str
    length_m: float
    section_mm2: float
    standby_v: float
    alarm_v: float
    peak_v: float
    allowed_v: float
    # The smallest listed section that is enough; None where none is.
    needed_mm2: float | None

    @property
    def is_enough(self) -> bool:
        """Whether it loses no more than it may."""
        return self.peak_v <= self.allowed_v * (1 + 1e-9)


def drops(supply: Supply, loads: tuple[Load, ...], protected: Protected) -> tuple[PlaceDrop, ...]:
    """Return what every lead loses whose length and section are known: the battery's, and those to the loads."""
    return tuple(_drops(supply, loads, protected))


def _drops(supply: Supply, loads: tuple[Load, ...], protected: Protected) -> Iterator[PlaceDrop]:
    need, choice = protected.need, protected.choice
    if choice is not None:
        length_m, section_mm2 = choice.lead_m, choice.lead_mm2
        allowed_v = USUAL_LEAD_DROP_RATIO * protected.bank.bank_v
        yield PlaceDrop(
            name="battery lead",
            length_m=length_m,
            section_mm2=section_mm2,
            standby_v=drop_v(need.standby_a or 0.0, length_m, section_mm2),
            alarm_v=drop_v(need.alarm_a or 0.0, length_m, section_mm2),
            peak_v=drop_v(need.greatest_a, length_m, section_mm2),
            allowed_v=allowed_v,
            needed_mm2=section_for(choice.fuse_a or 0.0, length_m=length_m, loses_v=allowed_v, drop_current_a=need.greatest_a),
        )
    if hindrance_of(supply, loads) is not None:
        return
    case = Case(supply, loads)
    for currents in case.currents:
        load = currents.load
        if load.cable is None or load.ac is not None:
            continue
        share = load.feed.efficiency_ratio if load.feed else 1.0
        # A load of constant power draws most at the lowest voltage it still bears, so that is where its cable loses most.
        at_v = supply.fed_v if load.feed else load.battery_min_v or supply.nominal_v
        states = [
            share * draw(currents, in_alarm=state).at_nominal_a(at_v)
            for draw, state in ((mean_draw, False), (mean_draw, True), (peak_draw, False), (peak_draw, True))
        ]
        peak_a = max(states)
        allowed_v = LOST_RATIO * carried_v(supply, load)
        if load.fed_min_v is not None:
            # Who says what it needs may lose no more than what is left above that.
            allowed_v = max(0.0, min(allowed_v, supply.fed_v - load.fed_min_v))
        length_m, section_mm2 = load.cable.length_m, load.cable.section_mm2
        degc = case.climate_of(load).typical_degc
        yield PlaceDrop(
            name=load.name,
            length_m=length_m,
            section_mm2=section_mm2,
            standby_v=drop_v(states[0], length_m, section_mm2, degc),
            alarm_v=drop_v(states[1], length_m, section_mm2, degc),
            peak_v=drop_v(peak_a, length_m, section_mm2, degc),
            allowed_v=allowed_v,
            needed_mm2=section_for(peak_a, length_m=length_m, loses_v=allowed_v, drop_current_a=peak_a),
        )


# -- what is there ---------------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulled:
    """What is left when one block is pulled out: how many strings, how long they hold, and what that is judged. [h]"""

    string: int
    strings_count: int
    band: Band | None
    verdict: Verdict | None
    words: str


def without_block(supply: Supply, loads: tuple[Load, ...], string: int) -> Pulled | None:
    """Return what the rest of a bank does while a block of a string is out: its whole string is then; None without a bank."""
    bank = supply.bank
    if bank is None:
        return None
    left = bank.parallel - 1
    must = say_required_h(supply.requirement.standby_h)
    if left < 1:
        return Pulled(
            string=string,
            strings_count=0,
            band=None,
            verdict=None,
            words="Without this block the bank gives nothing: all of it is one string. While it is out nothing holds.",
        )
    known = identified(supply)
    bank = known.bank or bank
    # Blocks in series carry one current, so with one of them its whole string is out.
    rest = replace(known, bank=replace(bank, parallel=left, blocks=tuple(b for b in bank.blocks if b.string != string)))
    result = judge_figures(rest, loads, compute_figures(rest, loads, in_full=True))
    hours = say_hours(result.holdover.expected, must_h=supply.requirement.standby_h) if result.holdover else "an unknown time"
    taken = f"Its whole string is out with it ({bank.series} blocks). " if bank.series > 1 else ""
    return Pulled(
        string=string,
        strings_count=left,
        band=result.holdover,
        verdict=result.verdict,
        words=f"{taken}The {left} {'string' if left == 1 else 'strings'} left hold {hours} of {must}.",
    )
