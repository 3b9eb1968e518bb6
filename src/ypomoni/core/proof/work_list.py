"""The work that makes one plan of another, step by step: each with place, tools, cautions and the figure to expect.

The order is that in which nothing goes off line unannounced and no conductor is opened live: on test, every source isolated, mains or panel before the
battery, proved dead; then move, bus groups whole; polarity checked dead; chargers set with the battery off; batteries connected last; measured; off test.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum
from itertools import groupby

from ypomoni.core.telling.results import PlanResult, SupplyResult
from ypomoni.core.telling.wording import say_amps, say_bank, say_hours_up, say_list, say_names, say_volts
from ypomoni.core.things.batteries import Bank
from ypomoni.core.things.loads import Load, Purpose
from ypomoni.core.things.supplies import Plan, Supply
from ypomoni.core.things.supply_kinds import SupplyKind


class WorkKind(StrEnum):
    """What a step does, in the order of the work."""

    WARN = "warn"
    ISOLATE_MAINS = "isolate_mains"
    ISOLATE_PANEL = "isolate_panel"
    ISOLATE_BATTERY = "isolate_battery"
    PROVE_DEAD = "prove_dead"
    ADD_SUPPLY = "add_supply"
    BANK = "bank"
    MOVE = "move"
    LOAD = "load"
    TAKE_OUT = "take_out"
    CHECK_BUS = "check_bus"
    POLARITY = "polarity"
    MAINS_WITHOUT_BATTERY = "mains_without_battery"
    CHARGER = "charger"
    ISOLATE_AGAIN = "isolate_again"
    CONNECT_BATTERY = "connect_battery"
    CONNECT_PANEL = "connect_panel"
    MAINS_ON = "mains_on"
    MEASURE = "measure"
    UNLISTED = "unlisted"
    RESTORE = "restore"


# A step of these leaves something as it was found where it could not be done.
CHANGING = frozenset({WorkKind.ADD_SUPPLY, WorkKind.BANK, WorkKind.MOVE, WorkKind.LOAD, WorkKind.CHARGER, WorkKind.TAKE_OUT})
MAINS = "Mains is isolated by a competent person; lock it off, and prove it dead."
BATTERY = "A battery's short-circuit current burns: rings off, insulated tools, fused jumpers before a lead is broken."
LIFE_SAFETY = "A life-safety system is never put off line unannounced: agree a watch first, and keep to local codes."
UNGUARDED = (
    "While the supply is isolated its loads are off: bridge with a charged, fused battery what must stay up, and keep a watch on the rest."
)
# Words by which a device that shares a data bus and its 0 V is known.
ON_A_BUS = ("keypad", "expander", "communicator", "reader", "dialler", "interface")
DOORS = "A door may release or lock when its supply is broken: look that nobody is shut in or let out."


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkStep:
    """One step. ``key`` stays the same while the plans do, so that what was ticked stays ticked; ``load_keys`` are what it moves or changes."""

    key: str
    kind: WorkKind
    what: str
    place: str
    tools: tuple[str, ...]
    cautions: tuple[str, ...]
    expect: str
    supply_key: str | None = None
    load_keys: tuple[str, ...] = ()

    @property
    def changes(self) -> bool:
        """Whether it changes the site: then what could not be done is a difference."""
        return self.kind in CHANGING


def work_list(before: Plan, after: Plan, result: PlanResult) -> tuple[WorkStep, ...]:
    """Return the work from a plan to another of the same site; nothing where they are alike.

    Parameters
    ----------
    result
        What was computed of ``after``: the figures to expect.
    """
    results = {r.key: r for r in result.supplies}
    changing = [
        *_banks(before, after, results),
        *_moves(before, after),
        *_loads(before, after),
        *_gone(before, after),
    ]
    changing += _chargers(before, after)
    if not changing:
        return ()
    touched = _touched(before, after, changing)
    gone = [s for s in before.supplies if s.key not in {t.key for t in after.supplies} and any(s.key == c.supply_key for c in changing)]
    steps = [
        _warn(before, after, touched),
        *_isolated(before, [s for s in before.supplies if s.key in {t.key for t in touched}] + gone),
        *changing,
        *_checked(before, after, touched),
        *_given_power(after, touched),
        *_measured(after, results, touched),
        _unlisted(after, touched),
        _restore(after, touched),
    ]
    # The kinds stand in the order of the work.
    order = list(WorkKind)
    return tuple(sorted(steps, key=lambda s: order.index(s.kind)))


def _touched(before: Plan, after: Plan, steps: Iterable[WorkStep]) -> list[Supply]:
    """Return the supplies of the new plan on which anything changes."""
    keys = {s.supply_key for s in steps}
    moved = {key for s in steps for key in s.load_keys}
    # A load that moves is taken off one supply and put on another: both are worked on.
    keys |= {load.supply_key for plan in (before, after) for load in plan.loads if load.key in moved}
    return [s for s in after.supplies if s.key in keys]


def _is_life_safety(plan: Plan, supplies: Iterable[Supply]) -> bool:
    return any(load.purpose is Purpose.LIFE_SAFETY for s in supplies for load in plan.loads_on(s.key))


def _cautions(plan: Plan, supplies: list[Supply], *usual: str) -> tuple[str, ...]:
    found = list(usual)
    if _is_life_safety(plan, supplies):
        found.append(LIFE_SAFETY)
    if any(load.lock is not None for s in supplies for load in plan.loads_on(s.key)):
        found.append(DOORS)
    return tuple(found)


def _warn(before: Plan, after: Plan, touched: list[Supply]) -> WorkStep:
    names = say_list([s.name for s in touched])
    return WorkStep(
        key="warn",
        kind=WorkKind.WARN,
        what=f"Put the system on test with the alarm receiving centre (ARC). Tell whoever is responsible for the site that {names} will be worked on, and until when. Note who took the call.",
        place="",
        tools=("telephone",),
        # Whoever is unguarded meanwhile is so by what hangs there now; only where nothing did, by what will.
        cautions=_cautions(before, [s for s in before.supplies if s.key in {t.key for t in touched}]) or _cautions(after, touched),
        expect="The centre puts it on test and says until when.",
    )


def _banks(before: Plan, after: Plan, results: dict[str, SupplyResult]) -> list[WorkStep]:
    were = {s.key: s for s in before.supplies}
    found: list[WorkStep] = []
    for supply in after.supplies:
        was = were.get(supply.key)
        if was is None:
            found.append(_new_supply(after, supply))
        if supply.bank is None or (was is not None and not _is_other_bank(was.bank, supply.bank)):
            continue
        old = "" if was is None or was.bank is None else f" in place of {_bank_words(was.bank)}"
        told = results.get(supply.key)
        back = (
            ""
            if told is None or told.recovery_h is None
            else f" If it comes discharged it takes about {say_hours_up(told.recovery_h)} to be of use."
        )
        found.append(
            WorkStep(
                key=f"bank:{supply.key}",
                kind=WorkKind.BANK,
                what=f"Fit {_bank_words(supply.bank)} in {supply.name}{old}. Leave its fuse or isolator open.{back}",
                place=_place_of(after, supply),
                tools=("voltmeter", "insulated tools", "the wiring drawing of the bank", "label and pen"),
                cautions=_cautions(after, [supply], BATTERY, *([UNGUARDED] if old else [])),
                expect=_expected_charge(supply),
                supply_key=supply.key,
            )
        )
    return found


def _is_other_bank(was: Bank | None, now: Bank) -> bool:
    """Say whether another battery has to be fitted: what was only learnt of the one that is there is no work."""
    if was is None:
        return True
    same = ("chemistry_key", "block_v", "capacity_ah", "rate_h", "series", "parallel")
    return any(getattr(was, n) != getattr(now, n) for n in same) or (was.age_y > 0 and now.age_y == 0)


def _bank_words(bank: Bank) -> str:
    return f"{say_bank(bank.series, bank.parallel, bank.block_v, bank.capacity_ah, bank.rate_h)} {bank.chemistry.name}"


def _expected_charge(supply: Supply) -> str:
    if supply.charge_v is None:
        return "Write down the volts at the battery's terminals."
    return f"{say_volts(supply.charge_v)} at the battery's terminals near the end of charge, at 25 °C."


def _new_supply(after: Plan, supply: Supply) -> WorkStep:
    return WorkStep(
        key=f"add:{supply.key}",
        kind=WorkKind.ADD_SUPPLY,
        what=f"Mount {supply.name}, and leave its output open.",
        place=_place_of(after, supply),
        tools=("voltmeter", "insulated tools"),
        cautions=(MAINS,),
        expect="Fixed, earthed, and nothing connected to it yet.",
        supply_key=supply.key,
    )


def _moves(before: Plan, after: Plan) -> list[WorkStep]:
    """Return a step for each pair of supplies, and each branch or bus group between them: a bus group goes as a whole."""
    was_on = {load.key: load.supply_key for load in before.loads}
    moved = [load for load in after.loads if load.key in was_on and was_on[load.key] != load.supply_key]

    def together(load: Load) -> tuple[str, str, str]:
        group = f"bus group {load.bus_group}" if load.bus_group else f"branch {load.branch}" if load.branch else f"load {load.key}"
        return was_on[load.key] or "", load.supply_key or "", group

    names = {s.key: s for s in (*before.supplies, *after.supplies)}
    found: list[WorkStep] = []
    for (old_key, new_key, group), loads in groupby(sorted(moved, key=together), key=together):
        pieces = list(loads)
        old, new = names.get(old_key), names.get(new_key)
        current_a = sum(load.quantity * load.standby.current_a for load in pieces)
        on_bus = group.startswith("bus group ")
        # Devices of one bus on two supplies have two grounds, and the data between them fails or worse.
        whole = f" all of {group}, its data and its 0 V with it:" if on_bus else ""
        to = f"from {old.name if old else 'nothing'} to {new.name}" if new else f"off {old.name if old else 'its supply'}"
        involved = [s for s in (old, new) if s is not None]
        found.append(
            WorkStep(
                key=f"move:{old_key}:{new_key}:{group}",
                kind=WorkKind.MOVE,
                what=f"Move{whole} {say_list([_pieces(load) for load in pieces], most=8)} {to}.",
                place=say_list(sorted({load.place.name for load in pieces if load.place is not None}) or [new.name if new else ""]),
                tools=("voltmeter", "insulated tools", "ammeter", "labels"),
                cautions=_cautions(before, involved, "Check polarity with the meter before each device is connected."),
                expect=f"They draw about {say_amps(current_a)} at rest, which leaves the one and comes on the other.",
                supply_key=new_key or None,
                load_keys=tuple(load.key for load in pieces),
            )
        )
    return found


def _pieces(load: Load) -> str:
    return load.name if load.quantity == 1 else f"{load.quantity} × {load.name}"


def _loads(before: Plan, after: Plan) -> list[WorkStep]:
    were = {load.key: load for load in before.loads}
    names = {s.key: s.name for s in after.supplies}
    found: list[WorkStep] = []
    for load in after.loads:
        was = were.get(load.key)
        if was is not None and was.quantity == load.quantity:
            continue
        on = names.get(load.supply_key or "", "no supply")
        what = f"Fit {_pieces(load)} on {on}." if was is None else f"Make it {_pieces(load)} on {on}: there were {was.quantity}."
        found.append(
            WorkStep(
                key=f"load:{load.key}",
                kind=WorkKind.LOAD,
                what=what,
                place=load.place.name if load.place else on,
                tools=("voltmeter", "insulated tools"),
                cautions=("Check polarity with the meter before it is connected.",),
                expect=f"Each draws about {say_amps(load.standby.current_a)} at rest.",
                supply_key=load.supply_key,
                load_keys=(load.key,),
            )
        )
    return found


def _chargers(before: Plan, after: Plan) -> list[WorkStep]:
    """Return a step for the charger of every new or changed supply: a new battery wants its charger looked at as much as a new setting."""
    were = {s.key: s for s in before.supplies}
    found: list[WorkStep] = []
    for supply in after.supplies:
        was = were.get(supply.key)
        if supply.bank is None or supply.bank.chemistry.is_primary or (was is not None and not _is_charged_otherwise(was, supply)):
            continue
        to = [
            *([] if supply.charge_v is None else [say_volts(supply.charge_v)]),
            *([] if supply.charge_limit_a is None else [f"at most {say_amps(supply.charge_limit_a)}"]),
        ]
        what = f"Set the charger of {supply.name} to {say_list(to)}, by its set-up sheet, and measure it." if to else ""
        if supply.charge_limit_a == 0:
            what = f"Disconnect the charger of {supply.name}: its battery is not to be charged."
        found.append(
            WorkStep(
                key=f"charger:{supply.key}",
                kind=WorkKind.CHARGER,
                what=what or f"Look up what the charger of {supply.name} is to be set to, set it by its set-up sheet, and measure it.",
                place=_place_of(after, supply),
                tools=("voltmeter", "ammeter", "the set-up sheet"),
                cautions=_cautions(
                    after,
                    [supply],
                    "The battery stays off. A charger that gives nothing without a battery is set the way its maker says.",
                    *(
                        ["Most controllers want the battery before the panel: follow the maker's order."]
                        if supply.of_kind.is_sunlit
                        else []
                    ),
                ),
                expect=_expected_charge(supply),
                supply_key=supply.key,
            )
        )
    return found


def _is_charged_otherwise(was: Supply, now: Supply) -> bool:
    """Return whether a charger is to be set, or looked at again since it charges another battery."""
    settings = ("charge_v", "charge_limit_a", "charge_mode", "charge_ends")
    if any(getattr(was, n) != getattr(now, n) for n in settings):
        return True
    return now.bank is not None and _is_other_bank(was.bank, now.bank)


def _gone(before: Plan, after: Plan) -> list[WorkStep]:
    stay_supplies, stay_loads = {s.key for s in after.supplies}, {load.key for load in after.loads}
    found: list[WorkStep] = []
    names = {s.key: s.name for s in before.supplies}
    for load in before.loads:
        if load.key not in stay_loads:
            found.append(
                _take_out(
                    f"out:{load.key}",
                    f"Take {_pieces(load)} off {names.get(load.supply_key or '', 'its supply')}.",
                    load.supply_key,
                    (load.key,),
                )
            )
    for supply in before.supplies:
        if supply.key not in stay_supplies:
            found.append(_take_out(f"out:{supply.key}", f"Take {supply.name} out, with its battery.", supply.key, ()))
    return found


def _take_out(key: str, what: str, supply_key: str | None, load_keys: tuple[str, ...]) -> WorkStep:
    return WorkStep(
        key=key,
        kind=WorkKind.TAKE_OUT,
        what=what,
        place="",
        tools=("insulated tools", "voltmeter"),
        cautions=(MAINS, BATTERY) if not load_keys else (),
        expect="Insulate and label what is left open.",
        supply_key=supply_key,
        load_keys=load_keys,
    )


def _isolated(before: Plan, touched: list[Supply]) -> list[WorkStep]:
    """Return the steps that make every circuit dead that is opened: mains or panel first, then the battery, then proved."""
    if not touched:
        return []
    on_mains = [s for s in touched if not s.of_kind.is_sunlit and s.has_charger and s.kind is not SupplyKind.PRIMARY]
    on_sun = [s for s in touched if s.of_kind.is_sunlit]
    found: list[WorkStep] = []
    if on_mains:
        found.append(
            _step(
                WorkKind.ISOLATE_MAINS,
                f"Isolate the mains of {say_names(on_mains, most=8)}, and any generator that feeds them.",
                ("lock and label",),
                _cautions(before, touched, MAINS, UNGUARDED),
                "Mains lamp off, lock and label on.",
            )
        )
    if on_sun:
        found.append(
            _step(
                WorkKind.ISOLATE_PANEL,
                f"Isolate the panel of {say_names(on_sun, most=8)} before its battery.",
                ("panel isolator or cover",),
                ("A panel in daylight is live: isolate or cover it before anything behind it is opened.",),
                "No current from the panel.",
            )
        )
    inverters = [s for s in touched if s.of_kind.is_inverter]
    off = (
        f" Switch {say_names(inverters)} off first, and prove its output dead: it makes mains voltage from the battery."
        if inverters
        else ""
    )
    found.append(
        _step(
            WorkKind.ISOLATE_BATTERY,
            f"Then isolate the battery of {say_names(touched, most=8)}: open its isolator, or take its fuse out.{off}",
            ("insulated tools",),
            (BATTERY,),
            "Everything fed from it is off.",
        )
    )
    found.append(
        _step(
            WorkKind.PROVE_DEAD,
            f"Prove dead at the output and at the battery terminals inside {say_names(touched, most=8)}. Prove the meter before and after.",
            ("voltmeter", "proving unit"),
            ("Capacitors and a second source can keep a circuit live.",),
            "0 V between the conductors, and from each to earth.",
        )
    )
    return found


def _checked(before: Plan, after: Plan, touched: list[Supply]) -> list[WorkStep]:
    """Return what is checked with everything dead: common 0 V and data bus of what changed its supply, and polarity."""
    was_on = {load.key: load.supply_key for load in before.loads}
    changed = [load for load in after.loads if load.supply_key and was_on.get(load.key, "") != load.supply_key]
    buses = [load for load in changed if load.bus_group or any(word in load.name.lower() for word in ON_A_BUS)]
    found: list[WorkStep] = []
    if buses:
        unknown = [load for load in buses if not load.bus_group]
        asked = f" On which data bus is {say_names(unknown)}? That is not entered: find out first." if unknown else ""
        found.append(
            _step(
                WorkKind.CHECK_BUS,
                f"Check the common 0 V and the data bus of {say_names(buses, most=8)}: both supplies share one 0 V, or all of the bus moves.{asked}",
                ("voltmeter", "ohmmeter"),
                ("Two supplies with no common 0 V upset or damage the data bus between them.",),
                "Under 1 Ω between the 0 V of every device on the bus.",
            )
        )
    found.append(
        _step(
            WorkKind.POLARITY,
            f"Check polarity with everything dead, at every conductor that was opened on {say_names(touched, most=8)}.",
            ("ohmmeter", "labels"),
            ("A reversed battery or device is destroyed at once.",),
            "Red to plus, black to minus, no short between them.",
        )
    )
    return found


def _given_power(after: Plan, touched: list[Supply]) -> list[WorkStep]:
    """Return how power comes back: mains with the battery off while chargers are set, mains off, battery, then mains or panel."""
    on_mains = [s for s in touched if not s.of_kind.is_sunlit and s.has_charger and s.kind is not SupplyKind.PRIMARY]
    on_sun = [s for s in touched if s.of_kind.is_sunlit]
    with_bank = [s for s in touched if s.bank is not None]
    found: list[WorkStep] = []
    if on_mains:
        found.append(
            _step(
                WorkKind.MAINS_WITHOUT_BATTERY,
                f"Mains on at {say_names(on_mains, most=8)}, with the battery still off.",
                ("voltmeter",),
                (MAINS,),
                "The supply starts, and no fuse blows.",
            )
        )
        found.append(
            _step(
                WorkKind.ISOLATE_AGAIN,
                f"Isolate the mains of {say_names(on_mains, most=8)} again.",
                ("lock and label",),
                (MAINS,),
                "Mains lamp off.",
            )
        )
    if with_bank:
        found.append(
            _step(
                WorkKind.CONNECT_BATTERY,
                f"Connect the battery of {say_names(with_bank, most=8)}: plus, then minus, its fuse or isolator last.",
                ("insulated tools", "voltmeter"),
                _cautions(after, with_bank, BATTERY, "What closes the circuit can spark: close it away from the battery."),
                "Battery voltage at the supply, polarity right.",
            )
        )
    if on_sun:
        found.append(
            _step(
                WorkKind.CONNECT_PANEL,
                f"Connect the panel of {say_names(on_sun, most=8)} after its battery.",
                ("voltmeter",),
                (),
                "The controller shows its battery, then its panel.",
            )
        )
    if on_mains:
        found.append(
            _step(
                WorkKind.MAINS_ON,
                f"Mains on at {say_names(on_mains, most=8)}. See the charge current into each battery.",
                ("ammeter or clamp",),
                (MAINS,),
                "A charge current that is no more than the limit, and falls as the battery fills.",
            )
        )
    return found


def _unlisted(after: Plan, touched: list[Supply]) -> WorkStep:
    return _step(
        WorkKind.UNLISTED,
        f"Hold what was measured against the load list of {say_names(touched, most=8)}, and look for an unlisted load.",
        ("ammeter", "the load list"),
        _cautions(after, touched),
        "Measured and expected agree within their uncertainty. If not, follow the wires and enter the load.",
    )


def _step(kind: WorkKind, what: str, tools: tuple[str, ...], cautions: tuple[str, ...], expect: str) -> WorkStep:
    """Return a step of the frame around the changes."""
    return WorkStep(key=kind.value, kind=kind, what=what, place="", tools=tools, cautions=cautions, expect=expect)


def _measured(after: Plan, results: dict[str, SupplyResult], touched: list[Supply]) -> list[WorkStep]:
    found: list[WorkStep] = []
    for supply in touched:
        told = results.get(supply.key)
        standby_a = told.standby_current_a if told else None
        expect = "Write down what it shows." if standby_a is None else f"About {say_amps(standby_a)} out of the battery at rest, mains off."
        if told and told.alarm_current_a is not None and standby_a is not None and told.alarm_current_a > standby_a:
            expect += f" {say_amps(told.alarm_current_a)} in alarm."
        found.append(
            WorkStep(
                key=f"measure:{supply.key}",
                kind=WorkKind.MEASURE,
                what=f"Measure {supply.name} again at its battery lead with the mains off: in standby, then in alarm.",
                place=_place_of(after, supply),
                tools=("ammeter, highest range first", "fused jumper"),
                cautions=_cautions(after, [supply], BATTERY),
                expect=expect,
                supply_key=supply.key,
            )
        )
    return found


def _restore(after: Plan, touched: list[Supply]) -> WorkStep:
    return WorkStep(
        key="restore",
        kind=WorkKind.RESTORE,
        what="Restore the mains, see that every charger charges, test one alarm through to the alarm receiving centre, and take the system off test. Note who took the call.",
        place="",
        tools=("telephone", "voltmeter"),
        cautions=_cautions(after, touched),
        expect="Every charger shows a current into its battery, and the centre has had the alarm.",
    )


def _place_of(plan: Plan, supply: Supply) -> str:
    places = sorted({load.place.name for load in plan.loads_on(supply.key) if load.place is not None})
    return f"{supply.name}" + (f" ({say_list(places, most=2)})" if len(places) == 1 else "")
