"""Forms of the aggregates: site, requirement, supply with its bank, load with its bursts. Each turns a row into texts and texts into columns."""

from typing import Any

from wtforms import BooleanField, FieldList, Form, FormField

from ypomoni.documents import quantities as q
from ypomoni.storage.connection import Row
from ypomoni.web.forms.fields import ChoiceField, CountField, CurrentField, QuantityField, TextField, Typed
from ypomoni.web.view.words import BEHAVIOUR_WORDS, CHEMISTRY_WORDS, CONVERTER_WORDS, KIND_WORDS, METHOD_CHOICES, PROVENANCE_WORDS

PERCENT = 0.01


class RecordForm(Form):
    """A form of one aggregate. ``paths`` maps the site file's words to fields; ``groups`` is how it is laid out."""

    title = ""
    paths: dict[str, str] = {}
    groups: tuple[tuple[str, tuple[str, ...]], ...] = ()
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
        for lower, higher in ((self.min_degc, self.typical_degc), (self.typical_degc, self.max_degc)):
            if lower.data is not None and higher.data is not None and lower.data > higher.data:
                lower.errors = [*lower.errors, f"must not be above the {higher.label.text.split()[0].lower()} one ({higher._value()})."]
                higher.errors = [*higher.errors, f"must not be below the {lower.label.text.split()[0].lower()} one ({lower._value()})."]
                good = False
        return good

    paths = {"site.typical_degc": "typical_degc", "site.min_degc": "min_degc", "site.max_degc": "max_degc", "site.name": "name"}


class RequirementForm(RecordForm):
    """A requirement."""

    title = "Requirement"
    name = TextField("Name", hint="as in Intruder, 24 h")
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
    groups = (
        ("", ("name", "source")),
        ("Must hold", ("standby_h", "alarm_min", "recharge_h", "recharge_to_ratio")),
        ("Judged by", ("method", "end_of_life_ratio", "design_margin_ratio")),
        ("Factors of the derated method", ("usable_ratio", "age_ratio", "activity_ratio")),
    )
    paths = {"derating.usable_ratio": "usable_ratio", "derating.age_ratio": "age_ratio", "derating.activity_ratio": "activity_ratio"}


REQUIREMENT_START: Row = {
    "alarm_min": 30.0,
    "recharge_to_ratio": 0.8,
    "method": "simulation",
    "end_of_life_ratio": 0.8,
    "design_margin_ratio": 1.0,
    "usable_ratio": 0.65,
    "age_ratio": 1.0,
    "activity_ratio": 0.9,
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
    typical_degc = QuantityField("Typical temperature here", q.TEMPERATURE, optional=True, hint="empty if as the site")
    min_degc = QuantityField("Lowest temperature here", q.TEMPERATURE, optional=True, hint="empty if as the site")
    bank_chemistry = ChoiceField("Battery", choices={"": "no bank", **CHEMISTRY_WORDS})
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
    groups = (
        ("", ("name", "kind", "requirement_id", "nominal_v", "cutoff_v", "own_current_a")),
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
            ),
        ),
        ("Output and charger", ("output_limit_a", "alarm_output_limit_a", "supply_current_a", "charge_limit_a", "charge_v")),
        ("Temperature", ("typical_degc", "min_degc")),
    )
    paths = {
        "bank": "bank_block_v",
        "bank.chemistry": "bank_chemistry",
        "requirement": "requirement_id",
        "site.typical_degc": "typical_degc",
        "site.min_degc": "min_degc",
        **{f"bank.{k}": f"bank_{k}" for k in ("block_v", "capacity_ah", "rate_h", "series", "parallel", "age_y", "life_y", "cells_count")},
        "bank.condition_ratio": "bank_condition_ratio",
        # Loads on this supply without a converter must suit its voltage.
        "*.rail_v": "nominal_v",
    }
    _NEEDED = ("bank_block_v", "bank_capacity_ah", "bank_rate_h", "bank_series", "bank_parallel")

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what a bank needs, where there is one."""
        good = super().validate(extra_validators)
        if self.bank_chemistry.data:
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
        if not found["bank_chemistry"]:
            return {name: None if name.startswith("bank_") else value for name, value in found.items()}
        found["bank_age_y"] = found["bank_age_y"] or 0.0
        return found

    @staticmethod
    def data_of(row: Row) -> dict[str, Any]:
        """Return the fields' data of a row."""
        return {**row, "bank_chemistry": row.get("bank_chemistry") or "", "requirement_id": str(row.get("requirement_id") or "")}


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


class BurstForm(Form):
    """One burst; left empty altogether it is none."""

    name = TextField("What for", required=False, hint="as in transmit")
    current_a = CurrentField("Current", q.CURRENT, optional=True, hint="in all while it lasts, as in 1.2 A")
    duration_s = QuantityField("Lasts", q.SECONDS, optional=True, hint="as in 8 s")
    per_hour = QuantityField("How often", q.PER_HOUR, optional=True, hint="as in 6 an hour")
    offset_s = QuantityField("First after", q.SECONDS, optional=True, hint="after mains fails; empty for at once")
    during = ChoiceField("When", choices={"always": "Always", "alarm": "In alarm only"}, default="always")

    @property
    def is_blank(self) -> bool:
        """Whether nothing was typed."""
        return not any(
            (f.raw_data and str(f.raw_data[0]).strip()) or f.data is not None for f in (self.current_a, self.duration_s, self.per_hour)
        )

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what a burst needs, unless it is blank."""
        good = super().validate(extra_validators)
        if not self.is_blank:
            for field in (self.current_a, self.duration_s, self.per_hour):
                if field.data is None and not field.errors:
                    field.errors = [f"must not be empty: {field.hint}."]
                    good = False
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
    essential = BooleanField("Essential: the supply has ended when this one has")
    bursts = FieldList(FormField(BurstForm))
    groups = (
        ("", ("name", "supply", "quantity")),
        ("Current of one piece", ("standby", "standby_provenance", "alarm", "alarm_provenance")),
        ("How it is fed", ("rail_v", "converter", "converter_efficiency_ratio", "behaviour", "min_v", "essential")),
    )
    paths = {
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
        return good

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
            "standby_current_a": _number(self.standby.data),
            "standby_provenance": self.standby_provenance.data,
            "standby_text": _typed(self.standby),
            "alarm_current_a": _number(self.alarm.data),
            "alarm_provenance": self.alarm_provenance.data if has_alarm else None,
            "alarm_text": _typed(self.alarm) if has_alarm else None,
            "bursts": [_burst(entry.form) for entry in self.bursts if not entry.form.is_blank],
        }

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
            "bursts": row.get("bursts") or [],
        }


LOAD_START: Row = {
    "quantity": 1,
    "rail_v": 12.0,
    "behaviour": "constant_current",
    "essential": True,
    "standby_provenance": "measured",
    "bursts": [],
}


def _number(value: float | None) -> float | None:
    return None if value is None else float(value)


def _typed(field: CurrentField) -> str | None:
    text = str(field.raw_data[0]).strip() if field.raw_data else ""
    return text or None


def _burst(form: Any) -> dict[str, Any]:
    return {
        "name": form.name.data or "burst",
        "current_a": form.current_a.data,
        "duration_s": form.duration_s.data,
        "per_hour": form.per_hour.data,
        "offset_s": form.offset_s.data or 0.0,
        "during": form.during.data,
    }


FORMS: dict[str, type[RecordForm]] = {"site": SiteForm, "requirement": RequirementForm, "supply": SupplyForm, "load": LoadForm}
STARTS: dict[str, Row] = {"site": {}, "requirement": REQUIREMENT_START, "supply": SUPPLY_START, "load": LOAD_START}
