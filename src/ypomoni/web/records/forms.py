"""Forms of the aggregates: site, requirement, supply with its bank, load with its bursts. Each turns a row into texts and texts into columns."""

from typing import Any

from wtforms import BooleanField, FieldList, Form, FormField, TextAreaField

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, RowFit, fit_table
from ypomoni.core.errors import QuantityError
from ypomoni.core.telling.wording import say_amps, say_hours, say_percent
from ypomoni.core.things.batteries import block_c20_ah, cell_of, cells_of_block
from ypomoni.core.things.device_types import improbable_current, say_improbable
from ypomoni.documents import quantities as q
from ypomoni.documents.discharge_text import TableRow, read_discharge_text, write_discharge_text
from ypomoni.storage.connection import Row
from ypomoni.web.fields import (
    ChoiceField,
    CountField,
    CurrentField,
    DutyField,
    MonthsField,
    QuantityField,
    TextField,
    Typed,
    YesNoField,
)
from ypomoni.web.words import (
    BEHAVIOUR_WORDS,
    CHARGE_WORDS,
    CHEMISTRY_WORDS,
    CONVERTER_WORDS,
    HOOKUP_WORDS,
    KIND_WORDS,
    LOCK_WORDS,
    METHOD_CHOICES,
    POINT_WORDS,
    PROVENANCE_WORDS,
    PURPOSE_WORDS,
    STAGE_WORDS,
    SYSTEM_WORDS,
)

PERCENT = 0.01
LITRE_M3 = 0.001


class RecordForm(Form):
    """A form of one aggregate. ``paths`` maps the site file's words to fields; ``groups`` is how it is laid out."""

    title = ""
    paths: dict[str, str] = {}
    groups: tuple[tuple[str, tuple[str, ...]], ...] = ()
    # Repeated parts: field, legend, and the words of the button that adds one.
    parts: tuple[tuple[str, str, str], ...] = ()
    caution = ""

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return dict(row)

    def keep_unchanged(self, row: Row) -> None:
        """Take the row's own number wherever its text was left as it stood, so that showing it costs no digit."""
        before = type(self)(None, data=self.data_of(row))
        for field in self:
            stood = before._fields.get(field.name)
            if (
                isinstance(field, QuantityField)
                and isinstance(stood, QuantityField)
                and not field.errors
                and field._value() == stood._value()
            ):
                field.data = stood.data

    def columns(self) -> Row:
        """Return the columns of what was typed."""
        return {name: field.data for name, field in self._fields.items()}

    def questions(self, row: Row | None) -> list[str]:
        """Return what looks like a slip and may yet be right; it is asked before it is saved."""
        return []


def refuse_disorder(lower: QuantityField, higher: QuantityField) -> bool:
    """Say whether a temperature is not above another, and put it beside both where it is."""
    if lower.data is None or higher.data is None or lower.data <= higher.data:
        return True
    lower.errors = [*lower.errors, f"must not be above the {higher.label.text.split()[0].lower()} one ({higher._value()})."]
    higher.errors = [*higher.errors, f"must not be below the {lower.label.text.split()[0].lower()} one ({lower._value()})."]
    return False


class SiteForm(RecordForm):
    """A site."""

    title = "Site"
    name = TextField("Name", hint="as the client calls it")
    typical_degc = QuantityField("Typical temperature of the cupboards", q.TEMPERATURE)
    min_degc = QuantityField("Lowest temperature", q.TEMPERATURE)
    max_degc = QuantityField("Highest temperature", q.TEMPERATURE, optional=True)
    groups = (("", ("name", "typical_degc", "min_degc", "max_degc")),)

    def validate(self, extra_validators: Any = None) -> bool:
        """Refuse temperatures that are out of order, beside both of them."""
        good = super().validate(extra_validators)
        return refuse_disorder(self.min_degc, self.typical_degc) and refuse_disorder(self.typical_degc, self.max_degc) and good

    paths = {"site.typical_degc": "typical_degc", "site.min_degc": "min_degc", "site.max_degc": "max_degc", "site.name": "name"}


class RequirementForm(RecordForm):
    """A requirement."""

    title = "Requirement"
    # Usable share, age and activity as they are commonly taken: each by name, so that none counts twice.
    presets = (("New", "65 %", "100 %", "90 %"), ("Three years", "65 %", "70 %", "90 %"), ("Cautious", "65 %", "50 %", "90 %"))
    name = TextField("Name", hint="as in Intruder, 24 h")
    purpose = ChoiceField("What kind of system", choices={"": "not said", **SYSTEM_WORDS})
    source = TextField("Where it comes from", required=False, longest=1000, hint="standard, clause, contract; check the edition in force")
    standby_h = QuantityField("Standby", q.HOURS)
    alarm_min = QuantityField("Then alarm", q.MINUTES, hint="as in 30 min; 0 for none")
    recharge_h = QuantityField("Recharged within", q.HOURS, optional=True, hint="as in 24 h, or empty if none is required")
    recharge_to_ratio = QuantityField("Recharged to", q.RATIO, scale=PERCENT, hint="as in 80 % of present capacity")
    method = ChoiceField("Judged by", choices=METHOD_CHOICES)
    end_of_life_ratio = QuantityField("End of life at", q.RATIO, scale=PERCENT, hint="as in 80 % of rated capacity")
    design_margin_ratio = QuantityField("Design margin on the simulation", q.FACTOR, hint="1 for none, as in 1.15")
    usable_ratio = QuantityField("Derated: usable share", q.RATIO, scale=PERCENT)
    age_ratio = QuantityField("Derated: age", q.RATIO, scale=PERCENT)
    activity_ratio = QuantityField("Derated: activity", q.RATIO, scale=PERCENT)
    response_h = QuantityField(
        "Somebody comes within", q.HOURS, optional=True, hint="after a low-battery warning, as in 4 h; empty if not agreed"
    )
    depth_ratio = QuantityField("Autonomy: depth of discharge", q.RATIO, scale=PERCENT)
    inverter_ratio = QuantityField("Autonomy: inverter", q.RATIO, scale=PERCENT, hint="100 % where there is none")
    groups = (
        ("", ("name", "purpose", "source")),
        ("Must hold", ("standby_h", "alarm_min", "recharge_h", "recharge_to_ratio", "response_h")),
        ("Judged by", ("method", "end_of_life_ratio", "design_margin_ratio")),
        ("Factors of the derated method", ("usable_ratio", "age_ratio", "activity_ratio")),
        ("Factors of energy and autonomy", ("depth_ratio", "inverter_ratio")),
    )
    paths = {
        **{f"derating.{k}": k for k in ("usable_ratio", "age_ratio", "activity_ratio")},
        **{f"autonomy.{k}": k for k in ("depth_ratio", "inverter_ratio")},
    }

    def columns(self) -> Row:
        """Return the columns."""
        return super().columns() | {"purpose": self.purpose.data or None}

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, "purpose": row.get("purpose") or ""}


class ProfileForm(RequirementForm):
    """A requirement profile of one's own."""

    title = "Requirement profile"


class StockForm(RecordForm):
    """A block one can buy."""

    title = "Block in stock"
    name = TextField("Name", hint="as on the shelf, 12 V 7 Ah")
    chemistry = ChoiceField("Battery", choices=CHEMISTRY_WORDS)
    block_v = QuantityField("Block voltage", q.VOLTAGE, hint="as in 12 V")
    capacity_ah = QuantityField("Block capacity", q.CHARGE, hint="as in 7 Ah")
    rate_h = QuantityField("Rated at", q.HOURS, hint="the hour rate on the label, usually 20 h")
    groups = (("", ("name", "chemistry", "block_v", "capacity_ah", "rate_h")),)

    def validate(self, extra_validators: Any = None) -> bool:
        """Refuse a voltage that is no whole number of cells."""
        good = super().validate(extra_validators)
        if good and self.block_v.data is not None:
            try:
                cells_of_block(str(self.chemistry.data), self.block_v.data)
            except QuantityError as error:
                self.block_v.errors = [str(error)]
                return False
        return good


class PlanForm(RecordForm):
    """A plan: its name, and what it stands for."""

    title = "Plan"
    name = TextField("Name", hint="as in Proposal, larger battery in Bay B")
    stage = ChoiceField("Stands for", choices=STAGE_WORDS)
    groups = (("", ("name", "stage")),)


REQUIREMENT_START: Row = {
    "alarm_min": 30.0,
    "recharge_to_ratio": 0.8,
    "method": "simulation",
    "end_of_life_ratio": 0.8,
    "design_margin_ratio": 1.0,
    "usable_ratio": 0.65,
    "age_ratio": 1.0,
    "activity_ratio": 0.9,
    "depth_ratio": 0.5,
    "inverter_ratio": 1.0,
}


class SupplyForm(RecordForm):
    """A supply and its bank."""

    title = "Supply"
    caution = (
        "Mains is isolated by a competent person. A battery's short-circuit current burns: insulate tools, fuse jumpers before breaking a "
        "battery lead. Warn the monitoring centre before a life-safety or intruder system goes off line. Local codes come first."
    )
    name = TextField("Name", hint="as in Bay B")
    kind = ChoiceField("Kind", choices=KIND_WORDS)
    requirement_id = ChoiceField("Must meet", choices={})
    nominal_v = QuantityField("Nominal voltage", q.VOLTAGE)
    cutoff_v = QuantityField("Disconnects its battery at", q.VOLTAGE, optional=True, hint="as in 10.5 V; empty if it never does")
    own_current_a = CurrentField("Its own current on battery", q.CURRENT, hint="30 to 100 mA is common; 0 A if none")
    output_limit_a = CurrentField("Output limit", q.CURRENT, optional=True)
    alarm_output_limit_a = CurrentField("Output limit in alarm", q.CURRENT, optional=True, hint="empty if the same")
    supply_current_a = CurrentField("Current of the supply in all", q.CURRENT, optional=True)
    charge_limit_a = CurrentField("Charge limit", q.CURRENT, optional=True)
    charge_v = QuantityField("Charge voltage", q.VOLTAGE, optional=True, hint="at the battery, as in 13.65 V")
    charge_mode = ChoiceField("How the charge ends", choices={"": "as usual for its kind", **CHARGE_WORDS})
    charge_compensated = YesNoField("Charge voltage follows the temperature")
    current_limited = YesNoField("Charger limits its current")
    low_battery_v = QuantityField("Warns of a low battery at", q.VOLTAGE, optional=True, hint="as in 11.5 V, or empty if it does not")
    convenience_free = BooleanField("Keep mere conveniences off it")
    typical_degc = QuantityField("Typical temperature here", q.TEMPERATURE, optional=True, hint="empty if as the site")
    min_degc = QuantityField("Lowest temperature here", q.TEMPERATURE, optional=True, hint="empty if as the site")
    max_degc = QuantityField("Highest temperature here", q.TEMPERATURE, optional=True, hint="empty if as the site")
    enclosure_volume_m3 = QuantityField("Volume of its box", q.VOLUME, optional=True, scale=LITRE_M3, hint="as in 50 l; empty if not known")
    enclosure_gas_tight = BooleanField("The box is gas-tight")
    bank_chemistry = ChoiceField("Battery", choices={"": "no battery", **CHEMISTRY_WORDS})
    bank_block_v = QuantityField("Block voltage", q.VOLTAGE, optional=True, hint="as in 12 V")
    bank_capacity_ah = QuantityField("Block capacity", q.CHARGE, optional=True, hint="as in 7 Ah")
    bank_rate_h = QuantityField("Rated at", q.HOURS, optional=True, hint="the hour rate on the label, usually 20 h")
    bank_series = CountField("Blocks in series", q.COUNT, optional=True, hint="adds volts")
    bank_parallel = CountField("Strings in parallel", q.COUNT, optional=True, hint="adds amp-hours")
    bank_age_y = QuantityField("Age", q.YEARS, optional=True, hint="as in 3 years; empty if new")
    bank_condition_ratio = QuantityField(
        "Measured condition", q.RATIO, optional=True, scale=PERCENT, hint="share of rated capacity; empty if not measured"
    )
    bank_life_y = QuantityField("Design life", q.YEARS, optional=True, hint="empty for the usual one of its kind")
    bank_cells_count = CountField("Cells a block", q.COUNT, optional=True, hint="empty to count them from the voltage")
    bank_resistance_ohm = QuantityField(
        "Measured resistance of a block", q.RESISTANCE, optional=True, hint="as an impedance meter shows it at 1 kHz, as in 22 mΩ"
    )
    bank_bms_limit_a = CurrentField("Its protection opens above", q.CURRENT, optional=True, hint="a lithium pack's own, as in 20 A")
    bank_bms_cutoff_v = QuantityField("Its protection opens below", q.VOLTAGE, optional=True, hint="of the whole battery, as in 10 V")
    bank_bms_charges_from_degc = QuantityField(
        "Its protection lets charge in from",
        q.TEMPERATURE,
        optional=True,
        hint="as in 0 °C; empty if it does not block charging in the cold",
    )
    bank_discharge_table = TextAreaField("Discharge table of a block")
    groups = (
        ("", ("name", "kind", "requirement_id", "nominal_v", "cutoff_v", "low_battery_v", "own_current_a")),
        (
            "Battery",
            (
                "bank_chemistry",
                "bank_block_v",
                "bank_capacity_ah",
                "bank_rate_h",
                "bank_series",
                "bank_parallel",
                "bank_age_y",
                "bank_condition_ratio",
                "bank_life_y",
                "bank_cells_count",
                "bank_resistance_ohm",
            ),
        ),
        ("Its own protection, if it has one", ("bank_bms_limit_a", "bank_bms_cutoff_v", "bank_bms_charges_from_degc")),
        ("Discharge table, if you have one", ("bank_discharge_table",)),
        (
            "Output and charger",
            (
                "output_limit_a",
                "alarm_output_limit_a",
                "supply_current_a",
                "charge_limit_a",
                "charge_v",
                "charge_mode",
                "charge_compensated",
                "current_limited",
                "convenience_free",
            ),
        ),
        ("Where it stands", ("typical_degc", "min_degc", "max_degc", "enclosure_volume_m3", "enclosure_gas_tight")),
    )
    paths = {
        "bank": "bank_block_v",
        "bank.chemistry": "bank_chemistry",
        "requirement": "requirement_id",
        "site.typical_degc": "typical_degc",
        "site.min_degc": "min_degc",
        **{f"bank.{k}": f"bank_{k}" for k in ("block_v", "capacity_ah", "rate_h", "series", "parallel", "age_y", "life_y", "cells_count")},
        "bank.condition_ratio": "bank_condition_ratio",
        "bank.resistance_ohm": "bank_resistance_ohm",
        "bank.discharge_table": "bank_discharge_table",
        **{f"bank.bms.{k}": f"bank_bms_{k}" for k in ("limit_a", "cutoff_v", "charges_from_degc")},
        "enclosure": "enclosure_volume_m3",
        # Loads on this supply without a converter must suit its voltage.
        "*.rail_v": "nominal_v",
    }
    _NEEDED = ("bank_block_v", "bank_capacity_ah", "bank_rate_h", "bank_series", "bank_parallel")
    table_hint = (
        "a line per row, as in 0.35 A; 20 h; 10.5 V, or 7 Ah at 20 h to 10.5 V; a maker's grid of amperes under its times is read too"
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.table_rows: list[TableRow] = []
        self.bank_discharge_table.hint = self.table_hint  # type: ignore[attr-defined]

    def _read_table(self) -> bool:
        """Read the discharge table as one of this block; lines that cannot be read are told beside it."""
        text = str(self.bank_discharge_table.data or "")
        self.table_rows = []
        if not text.strip():
            return True
        key, block_v = str(self.bank_chemistry.data), self.bank_block_v.data
        try:
            cells_count = self.bank_cells_count.data or cells_of_block(key, block_v or 0.0)
        except (QuantityError, KeyError, ZeroDivisionError):
            self.bank_discharge_table.errors = ["needs the battery's kind and block voltage first."]
            return False
        rows, unread = read_discharge_text(text, cells_count, cells_count * CHEMISTRIES[key].end_v)
        self.table_rows = rows
        faults = [f"Line {u.line}, “{u.text[:60]}”, {u.message}" for u in unread[:6]]
        if not faults and len(rows) < 2:
            faults = ["needs at least two rows."]
        if not faults:
            try:
                self.fitted()
            except QuantityError as error:
                faults = [str(error)]
        self.bank_discharge_table.errors = faults
        return not faults

    def fitted(self) -> tuple[RowFit, ...]:
        """Return the rows of the table with what the refitted model makes of them, or raise `QuantityError` where they are of no such block."""
        key, block_v, capacity_ah, rate_h = (self[f"bank_{n}"].data for n in ("chemistry", "block_v", "capacity_ah", "rate_h"))
        if not self.table_rows or not capacity_ah or not rate_h:
            return ()
        rows = tuple(DischargeRow(current_a=r.current_a, run_h=r.run_h, end_v=r.end_v) for r in self.table_rows)
        cells_count = self.bank_cells_count.data or cells_of_block(key, block_v)
        table = DischargeTable(rows=rows, block_c20_ah=block_c20_ah(key, capacity_ah, rate_h))
        return fit_table(table, cell_of(CHEMISTRIES[key]), cells_count).rows

    def questions(self, row: Row | None) -> list[str]:
        """Ask about rows of the table that do not go with the others."""
        return [
            f"{say_amps(r.row.current_a)} for {say_hours(r.row.run_h)} to {r.row.end_v:g} V does not go with the other rows: they make it "
            f"{say_hours(r.model_h)}, {say_percent(abs(r.error_ratio))} off. Is it right? It will count for little."
            for r in self.fitted()
            if r.is_suspect
        ]

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what a bank needs, where there is one."""
        good = super().validate(extra_validators)
        if self.enclosure_gas_tight.data and self.enclosure_volume_m3.data is None and not self.enclosure_volume_m3.errors:
            self.enclosure_volume_m3.errors = ["must not be empty for a gas-tight box: as in 50 l."]
            good = False
        if self.bank_chemistry.data:
            good = self._read_table() and good
            for name in self._NEEDED:
                field = self[name]
                if field.data is None and not field.errors:
                    field.errors = [f"must not be empty where there is a battery: {getattr(field, 'hint', '')}."]
                    good = False
        return good

    def columns(self) -> Row:
        """Return the columns; without a bank all of its columns are empty."""
        found = super().columns()
        found["requirement_id"] = int(found["requirement_id"])
        found["charge_mode"] = found["charge_mode"] or None
        found["charge_compensated"], found["current_limited"] = self.charge_compensated.answer, self.current_limited.answer
        if not found["bank_chemistry"]:
            return {name: None if name.startswith("bank_") else value for name, value in found.items()} | {"bank_discharge_table": []}
        found["bank_age_y"] = found["bank_age_y"] or 0.0
        found["bank_discharge_table"] = [{"current_a": r.current_a, "run_h": r.run_h, "end_v": r.end_v} for r in self.table_rows]
        return found

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {
            **row,
            "bank_chemistry": row.get("bank_chemistry") or "",
            "charge_mode": row.get("charge_mode") or "",
            **{name: YesNoField.word_of(row.get(name)) for name in ("charge_compensated", "current_limited")},
            "requirement_id": str(row.get("requirement_id") or ""),
            "bank_discharge_table": write_discharge_text(row.get("bank_discharge_table") or []),
        }


SUPPLY_START: Row = {
    "kind": "panel",
    "nominal_v": 12.0,
    "cutoff_v": 10.5,
    "bank_chemistry": "lead_agm",
    "bank_block_v": 12.0,
    "bank_rate_h": 20.0,
    "bank_series": 1,
    "bank_parallel": 1,
}


class PartForm(Form):
    """A repeated part of a load; left empty altogether it is none. ``needed`` are the fields that one needs."""

    needed: tuple[str, ...] = ()

    @property
    def is_blank(self) -> bool:
        """Whether nothing was typed into what it needs."""
        fields = [self[name] for name in self.needed]
        return not any((f.raw_data and str(f.raw_data[0]).strip()) or f.data is not None for f in fields)

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what it needs, unless it is blank."""
        good = super().validate(extra_validators)
        if not self.is_blank:
            for field in (self[name] for name in self.needed):
                if field.data is None and not field.errors:
                    field.errors = [f"must not be empty: {getattr(field, 'hint', '')}."]
                    good = False
        return good


class BurstForm(PartForm):
    """One burst. How long it lasts may also be said with how often, as in `3 s every 10 min`."""

    needed = ("current_a", "per_hour", "duration_s")
    name = TextField("What for", required=False, hint="as in transmit")
    current_a = CurrentField("Current", q.CURRENT, optional=True, hint="in all while it lasts, as in 1.2 A")
    duration_s = QuantityField("Lasts", q.SECONDS, optional=True, hint="as in 8 s; empty if said beside it")
    per_hour = DutyField("How often", q.PER_HOUR, optional=True, hint="6 an hour, 3 s every 10 min, 20 % of the day")
    offset_s = QuantityField("First after", q.SECONDS, optional=True, hint="after mains fails; empty for at once")
    during = ChoiceField("When", choices={"always": "Always", "alarm": "In alarm only"}, default="always")

    def validate(self, extra_validators: Any = None) -> bool:
        """Take the duration from how often, and refuse two that disagree."""
        said_s = self.per_hour.duration_s
        if said_s is not None and self.duration_s.data is None and not self.duration_s.process_errors:
            self.duration_s.data = said_s
        good = super().validate(extra_validators)
        if said_s is not None and self.duration_s.data is not None and abs(self.duration_s.data - said_s) > 1e-9 * said_s:
            self.duration_s.errors = [f"is another time than beside it ({said_s:g} s): keep one of them."]
            return False
        return good


class ThermostatForm(PartForm):
    """A heater or a fan."""

    needed = ("current_a",)
    name = TextField("What for", required=False, hint="as in cabinet heater")
    current_a = CurrentField("Adds", q.CURRENT, optional=True, hint="to the rest current while on, as in 1.5 A")
    below_degc = QuantityField("On below", q.TEMPERATURE, optional=True, hint="as in 5 °C")
    above_degc = QuantityField("Or on above", q.TEMPERATURE, optional=True, hint="as in 35 °C")

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for one of the two temperatures."""
        good = super().validate(extra_validators)
        if not self.is_blank and (self.below_degc.data is None) == (self.above_degc.data is None) and not self.below_degc.errors:
            self.below_degc.errors = ["needs one of the two: below which temperature it is on, or above which."]
            return False
        return good


class RechargeForm(PartForm):
    """A device's own battery, filled from the supply."""

    needed = ("per_day",)
    name = TextField("What for", required=False, hint="as in handset battery")
    energy_wh = QuantityField("Energy", q.ENERGY, optional=True, hint="as in 18 Wh; or the two beside it")
    charge_ah = QuantityField("Or charge", q.CHARGE, optional=True, hint="as in 2600 mAh")
    battery_v = QuantityField("At", q.VOLTAGE, optional=True, hint="its own voltage, as in 3.7 V")
    depth_ratio = QuantityField("Share refilled", q.RATIO, optional=True, scale=PERCENT, hint="as in 80 %; empty for all of it")
    per_day = QuantityField("How often", q.PER_DAY, optional=True, hint="as in 1 a day")
    efficiency_ratio = QuantityField("Charger's efficiency", q.RATIO, optional=True, scale=PERCENT, hint="empty for 80 %")

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for the energy, one way or the other."""
        good = super().validate(extra_validators)
        known = self.energy_wh.data is not None or (self.charge_ah.data is not None and self.battery_v.data is not None)
        if not self.is_blank and not known and not self.energy_wh.errors:
            self.energy_wh.errors = ["must not be empty: as in 18 Wh, or fill charge and voltage beside it."]
            return False
        return good


class LoadForm(RecordForm):
    """A load: its cells in the register and the rest of it."""

    title = "Load"
    name = TextField("Name", hint="as in Dual-technology detector")
    supply = ChoiceField("Supply", choices={})
    quantity = CountField("Quantity", q.COUNT)
    standby = CurrentField("Standby, one piece", q.CURRENT)
    standby_provenance = ChoiceField("Standby known from", choices=PROVENANCE_WORDS)
    alarm = CurrentField("Alarm, one piece", q.CURRENT, optional=True, hint="empty if as in standby")
    alarm_provenance = ChoiceField("Alarm known from", choices=PROVENANCE_WORDS)
    rail_v = QuantityField("Stated at", q.VOLTAGE, hint="the rail the currents are stated on, as in 12 V")
    converter = ChoiceField("Converter between", choices=CONVERTER_WORDS)
    converter_efficiency_ratio = QuantityField("Its efficiency", q.RATIO, optional=True, scale=PERCENT, hint="switching only, as in 85 %")
    behaviour = ChoiceField("Draws as", choices=BEHAVIOUR_WORDS)
    min_v = QuantityField("Works down to", q.VOLTAGE, optional=True, hint="as in 10.8 V, or empty if not known")
    essential = BooleanField("Essential: without it the supply counts as ended")
    pinned = BooleanField("Pinned: it stays on this supply")
    place = ChoiceField("Place", choices={})
    branch = TextField("Branch", required=False, hint="the circuit it hangs on, as in Bus 1, north")
    bus_group = TextField("Bus group", required=False, hint="devices that share one data bus and its 0 V")
    purpose = ChoiceField("For", choices={"": "not said", **PURPOSE_WORDS})
    cable_length_m = QuantityField("Cable, one way", q.LENGTH, optional=True, hint="as in 30 m; empty if short")
    cable_section_mm2 = QuantityField("Conductor", q.SECTION, optional=True, hint="as in 0.5 mm²")
    lock = ChoiceField("A lock", choices={"": "no", **LOCK_WORDS})
    escape_route = BooleanField("Its door is on an escape route")
    ride_through_ms = QuantityField("Goes on without supply for", q.MILLISECONDS, optional=True, hint="as in 20 ms; empty if not known")
    ac_power_w = QuantityField("Watts from AC", q.POWER, optional=True, hint="only if it runs on AC, as in 32 W")
    ac_apparent_va = QuantityField("Volt-amperes", q.APPARENT, optional=True, hint="as in 40 VA; VA is not W")
    ac_power_factor_ratio = QuantityField("Power factor", q.FACTOR, optional=True, hint="as in 0.8")
    bursts = FieldList(FormField(BurstForm))
    thermostats = FieldList(FormField(ThermostatForm))
    recharges = FieldList(FormField(RechargeForm))
    groups = (
        ("", ("name", "supply", "quantity", "purpose", "essential", "pinned")),
        ("Current of one piece", ("standby", "standby_provenance", "alarm", "alarm_provenance")),
        ("How it is fed", ("rail_v", "converter", "converter_efficiency_ratio", "behaviour", "min_v")),
        ("Where it is", ("place", "branch", "bus_group", "cable_length_m", "cable_section_mm2")),
        ("Doors", ("lock", "escape_route")),
        (
            "On AC: kept, but its supply's hours are not computed yet",
            ("ac_power_w", "ac_apparent_va", "ac_power_factor_ratio", "ride_through_ms"),
        ),
    )
    parts = (
        ("bursts", "Bursts: a transmission, a relay, a logger waking", "Add a burst"),
        ("thermostats", "Thermostats: a heater that comes on in the cold, a fan in the heat", "Add a thermostat"),
        ("recharges", "A battery of its own, filled from this supply", "Add a recharge"),
    )
    paths = {
        "cable.length_m": "cable_length_m",
        "cable.section_mm2": "cable_section_mm2",
        "cable": "cable_length_m",
        "ac.power_w": "ac_power_w",
        "ac.apparent_va": "ac_apparent_va",
        "ac.power_factor_ratio": "ac_power_factor_ratio",
        "ac": "ac_power_w",
        "place": "place",
        "standby": "standby",
        "alarm": "alarm",
        "rail_v": "rail_v",
        "converter": "converter_efficiency_ratio",
        "supply": "supply",
    }

    def validate(self, extra_validators: Any = None) -> bool:
        """Take the rail from `W @ V`, and refuse two that disagree."""
        good = super().validate(extra_validators)
        rails_v = {f.rail_v for f in (self.standby, self.alarm) if f.rail_v is not None}
        if len(rails_v) > 1:
            self.alarm.errors = [f"is stated at another voltage than standby ({self.standby.rail_v:g} V): state both at one."]
            return False
        if rails_v:
            (self.rail_v.data,) = rails_v
            self.rail_v.raw_data = None
        if (
            self.converter.data == "switching"
            and self.converter_efficiency_ratio.data is None
            and not self.converter_efficiency_ratio.errors
        ):
            self.converter_efficiency_ratio.errors = ["must not be empty for a switching converter: 85 % is common."]
            good = False
        return self._pairs_are_whole() and self._watts_are_possible() and good

    def _pairs_are_whole(self) -> bool:
        length, section = self.cable_length_m, self.cable_section_mm2
        if (length.data is None) == (section.data is None) or length.errors or section.errors:
            return True
        missing = section if section.data is None else length
        missing.errors = [f"must not be empty where the other is known: {missing.hint}."]
        return False

    def _watts_are_possible(self) -> bool:
        power_w, apparent_va, factor = self.ac_power_w, self.ac_apparent_va, self.ac_power_factor_ratio
        if factor.data is not None and not 0 < factor.data <= 1:
            factor.errors = ["must be above 0 and at most 1."]
            return False
        if power_w.data is not None and apparent_va.data is not None and power_w.data > apparent_va.data * 1.0001:
            power_w.errors = [f"must not be above the volt-amperes ({apparent_va.data:g} VA): W = VA × power factor."]
            return False
        if power_w.data is None and apparent_va.data is None and factor.data is not None:
            power_w.errors = ["must not be empty where there is a power factor: write the watts or the volt-amperes."]
            return False
        return True

    def questions(self, row: Row | None) -> list[str]:
        """Ask about currents that no such device draws, and about volt-amperes taken for watts."""
        return [*self._improbable(row), *self._volt_amperes()]

    def _improbable(self, row: Row | None) -> list[str]:
        found: list[str] = []
        if self.ac_power_w.data is not None or self.ac_apparent_va.data is not None:
            return found
        for name, in_alarm in (("standby", False), ("alarm", True)):
            current_a = self[name].data
            stands = row is not None and row["name"] == self.name.data and row[f"{name}_current_a"] == current_a
            if current_a is None or stands:
                continue
            odd = improbable_current(str(self.name.data), self.rail_v.data or 12.0, float(current_a), in_alarm=in_alarm)
            if odd is not None:
                found.append(f"{say_improbable(odd)}. Is the unit right, and is it one piece?")
        return found

    def _volt_amperes(self) -> list[str]:
        power_w, apparent_va, factor = (self[n].data for n in ("ac_power_w", "ac_apparent_va", "ac_power_factor_ratio"))
        if power_w and apparent_va and abs(power_w - apparent_va) <= 0.02 * apparent_va and (factor is None or factor < 0.98):
            return [f"As many watts as volt-amperes ({power_w:g} W, {apparent_va:g} VA): VA is not W. Are the watts measured?"]
        return []

    def columns(self) -> Row:
        """Return the columns. The typed texts of the currents are kept beside their figures."""
        has_alarm = self.alarm.data is not None
        return {
            "name": self.name.data,
            "supply_id": int(self.supply.data) if self.supply.data else None,
            "quantity": self.quantity.data,
            "rail_v": self.rail_v.data,
            "behaviour": self.behaviour.data,
            "converter_kind": self.converter.data or None,
            "converter_efficiency_ratio": self.converter_efficiency_ratio.data if self.converter.data else None,
            "min_v": self.min_v.data,
            "essential": self.essential.data,
            "pinned": self.pinned.data,
            "standby_current_a": _number(self.standby.data),
            "standby_provenance": self.standby_provenance.data,
            "standby_text": _typed(self.standby),
            "alarm_current_a": _number(self.alarm.data),
            "alarm_provenance": self.alarm_provenance.data if has_alarm else None,
            "alarm_text": _typed(self.alarm) if has_alarm else None,
            "bursts": [_burst(entry.form) for entry in self.bursts if not entry.form.is_blank],
            "thermostats": [_thermostat(entry.form) for entry in self.thermostats if not entry.form.is_blank],
            "recharges": [_recharge(entry.form) for entry in self.recharges if not entry.form.is_blank],
            "place_id": int(self.place.data) if self.place.data else None,
            "branch": self.branch.data or None,
            "bus_group": self.bus_group.data or None,
            "purpose": self.purpose.data or None,
            "lock": self.lock.data or None,
            "escape_route": self.escape_route.data,
            **{name: self[name].data for name in _PLAIN},
            # A figure typed anew is not the one a reading gave; see `keep_readings`.
            "standby_uncertainty_a": None,
            "standby_reading": None,
            "alarm_uncertainty_a": None,
            "alarm_reading": None,
        }

    @staticmethod
    def keep_readings(columns: Row, row: Row) -> Row:
        """Return columns with the reading behind each current that is still the one it gave."""
        for name in ("standby", "alarm"):
            if all(columns[f"{name}_{part}"] == row[f"{name}_{part}"] for part in ("current_a", "provenance")):
                columns |= {f"{name}_{part}": row[f"{name}_{part}"] for part in ("uncertainty_a", "reading")}
        return columns

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {
            **row,
            "supply": "" if row.get("supply_id") is None else str(row["supply_id"]),
            "standby": Typed.of(row, "standby"),
            "alarm": Typed.of(row, "alarm"),
            "alarm_provenance": row.get("alarm_provenance") or row.get("standby_provenance"),
            "converter": row.get("converter_kind") or "",
            "place": "" if row.get("place_id") is None else str(row["place_id"]),
            "purpose": row.get("purpose") or "",
            "lock": row.get("lock") or "",
            **{name: row.get(name) or [] for name in ("bursts", "thermostats", "recharges")},
        }


LOAD_START: Row = {
    "quantity": 1,
    "rail_v": 12.0,
    "behaviour": "constant_current",
    "essential": True,
    "pinned": False,
    "standby_provenance": "measured",
    "bursts": [],
}


def _number(value: float | None) -> float | None:
    return None if value is None else float(value)


def _typed(field: CurrentField) -> str | None:
    text = str(field.raw_data[0]).strip() if field.raw_data else ""
    return text or None


_PLAIN = ("ride_through_ms", "cable_length_m", "cable_section_mm2", "ac_power_w", "ac_apparent_va", "ac_power_factor_ratio")


def _thermostat(form: Any) -> dict[str, Any]:
    return {
        "name": form.name.data or "thermostat",
        **{name: form[name].data for name in ("current_a", "below_degc", "above_degc")},
    }


def _recharge(form: Any) -> dict[str, Any]:
    return {
        "name": form.name.data or "recharge",
        **{name: form[name].data for name in ("energy_wh", "charge_ah", "battery_v", "per_day")},
        "depth_ratio": form.depth_ratio.data or 1.0,
        "efficiency_ratio": form.efficiency_ratio.data or 0.8,
    }


def _burst(form: Any) -> dict[str, Any]:
    return {
        "name": form.name.data or "burst",
        "current_a": form.current_a.data,
        "duration_s": form.duration_s.data,
        "per_hour": form.per_hour.data,
        "offset_s": form.offset_s.data or 0.0,
        "during": form.during.data,
    }


class PlaceForm(RecordForm):
    """A place of the site."""

    title = "Place"
    name = TextField("Name", hint="as in Strongroom, basement")
    typical_degc = QuantityField("Typical temperature", q.TEMPERATURE, optional=True, hint="empty if as the site")
    min_degc = QuantityField("Lowest temperature", q.TEMPERATURE, optional=True, hint="empty if as the site")
    monthly_degc = MonthsField("Mean of each month")
    groups = (("", ("name", "typical_degc", "min_degc")), ("For thermostats", ("monthly_degc",)))

    def validate(self, extra_validators: Any = None) -> bool:
        """Refuse temperatures that are out of order."""
        good = super().validate(extra_validators)
        return refuse_disorder(self.min_degc, self.typical_degc) and good


class RunForm(RecordForm):
    """The way of a cable from a place to a supply."""

    title = "Distance"
    place = ChoiceField("From", choices={})
    supply = ChoiceField("To", choices={})
    length_m = QuantityField("Cable, one way", q.LENGTH, hint="as it would be laid, not as the crow flies: 30 m")
    section_mm2 = QuantityField("Conductor", q.SECTION, optional=True, hint="as in 0.5 mm²; empty if not known")
    groups = (("", ("place", "supply", "length_m", "section_mm2")),)
    paths = {"place": "place", "supply": "supply"}

    def columns(self) -> Row:
        """Return the columns; a run is named after its ends."""
        return {
            "place_id": int(self.place.data),
            "supply_key": self.supply.data,
            "name": f"{self._chosen(self.place)} to {self._chosen(self.supply)}",
            "length_m": self.length_m.data,
            "section_mm2": self.section_mm2.data,
        }

    @staticmethod
    def _chosen(field: ChoiceField) -> str:
        return str(field.choices[field.data]) if isinstance(field.choices, dict) else str(field.data)

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, "place": str(row.get("place_id") or ""), "supply": row.get("supply_key") or ""}


class PointForm(RecordForm):
    """A measuring point."""

    title = "Measuring point"
    name = TextField("Name", hint="as in Bay B output")
    kind = ChoiceField("What is opened or clamped", choices=POINT_WORDS)
    supply = ChoiceField("Of supply", choices={})
    parent = ChoiceField("Behind", choices={})
    load = ChoiceField("Its load, for a device", choices={})
    groups = (("", ("name", "kind", "supply", "parent", "load")),)
    paths = {"load": "load", "parent": "parent", "supply": "supply"}

    def columns(self) -> Row:
        """Return the columns."""
        return {
            "name": self.name.data,
            "kind": self.kind.data,
            "supply_id": int(self.supply.data),
            "parent_id": int(self.parent.data) if self.parent.data else None,
            "load_id": int(self.load.data) if self.load.data and self.kind.data == "device" else None,
        }

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, **{n: "" if row.get(f"{n}_id") is None else str(row[f"{n}_id"]) for n in ("supply", "parent", "load")}}


class RangeForm(PartForm):
    """One range of an instrument."""

    needed = ("limit_a",)
    jack = TextField("Jack", required=False, hint="as printed, as in mA")
    limit_a = CurrentField("Up to", q.CURRENT, optional=True, hint="as in 400 mA")
    burden_v = QuantityField("Drops at full scale", q.VOLTAGE, optional=True, hint="as in 0.3 V; empty if not known")
    fuse_a = CurrentField("Fuse", q.CURRENT, optional=True, hint="as in 500 mA")
    longest_s = QuantityField("For at most", q.SECONDS, optional=True, hint="as in 10 s; empty for any time")


class InstrumentForm(RecordForm):
    """A meter."""

    title = "Instrument"
    name = TextField("Name", hint="as you call it: yellow meter, van 2")
    hookup = ChoiceField("Used", choices=HOOKUP_WORDS)
    accuracy_ratio = QuantityField("Accuracy", q.RATIO, scale=PERCENT, hint="share of the reading, as in 1 %")
    digits_count = CountField("Plus digits", q.COUNT, hint="as in 3")
    display_count = CountField("Counts of its display", q.COUNTS, hint="as in 4000")
    offset_a = CurrentField("Offset", q.CURRENT, hint="what a zeroed clamp still shows, as in 20 mA; 0 A for others")
    ranges = FieldList(FormField(RangeForm))
    groups = (("", ("name", "hookup", "accuracy_ratio", "digits_count", "display_count", "offset_a")),)
    parts = (("ranges", "Ranges, smallest first", "Add a range"),)

    def columns(self) -> Row:
        """Return the columns; ranges in the order of their limits."""
        found = {name: self[name].data for name in ("name", "hookup", "accuracy_ratio", "digits_count", "display_count", "offset_a")}
        ranges = [
            {"jack": e.form.jack.data or "mA", **{n: e.form[n].data for n in ("limit_a", "burden_v", "fuse_a", "longest_s")}}
            for e in self.ranges
            if not e.form.is_blank
        ]
        return {**found, "ranges": sorted(ranges, key=lambda r: r["limit_a"])}

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, "ranges": row.get("ranges") or []}


INSTRUMENT_START: Row = {
    "hookup": "series",
    "accuracy_ratio": 0.01,
    "digits_count": 3,
    "display_count": 4000,
    "offset_a": 0.0,
    "ranges": [],
}

FORMS: dict[str, type[RecordForm]] = {
    "site": SiteForm,
    "requirement": RequirementForm,
    "supply": SupplyForm,
    "load": LoadForm,
    "place": PlaceForm,
    "run": RunForm,
    "point": PointForm,
    "instrument": InstrumentForm,
    "stock": StockForm,
    "profile": ProfileForm,
    "plan": PlanForm,
}
STARTS: dict[str, Row] = {
    "site": {},
    "requirement": REQUIREMENT_START,
    "supply": SUPPLY_START,
    "load": LOAD_START,
    "place": {},
    "run": {},
    "point": {"kind": "branch"},
    "instrument": INSTRUMENT_START,
    "stock": {"chemistry": "lead_agm", "block_v": 12.0, "rate_h": 20.0},
    "profile": REQUIREMENT_START,
    "plan": {"stage": "proposal"},
}
