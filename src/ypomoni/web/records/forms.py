"""The forms of what is kept: made from the records, with what fields must keep together and what is asked before it is saved."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, ClassVar

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.chemistries.discharge_table import DischargeRow, DischargeTable, RowFit, fit_table
from ypomoni.core.errors import QuantityError
from ypomoni.core.telling.rows import say_suspect_row
from ypomoni.core.things.batteries import block_c20_ah, cells_of_block
from ypomoni.core.things.device_types import improbable_current, say_improbable
from ypomoni.core.things.loads import Provenance
from ypomoni.core.wiring.fuses import SOLD_FUSES_A
from ypomoni.documents.discharge_text import read_discharge_text, write_discharge_text
from ypomoni.records.audit import PointRow
from ypomoni.records.bank import LARGEST_FUSE_A, BankRow
from ypomoni.records.field import Row, blank_row, fields_of
from ypomoni.records.library import InstrumentRow, RangeRow, StockRow
from ypomoni.records.load import LOAD_NESTS, BurstRow, LoadRow, RechargeRow, ThermostatRow
from ypomoni.records.requirement import REQUIREMENT_NESTS, ProfileRow, RequirementRow
from ypomoni.records.site import PlaceRow, PlanRow, RunRow, SiteRow
from ypomoni.records.supply import SUPPLY_NESTS, SupplyRow
from ypomoni.web.fields import ChoiceField, CurrentField, QuantityField, Typed
from ypomoni.web.records.described import RecordForm, defaults_of, form_of, part_form_of


def refuse_disorder(lower: QuantityField, higher: QuantityField) -> bool:
    """Say whether a temperature is not above another, and put it beside both where it is."""
    if lower.data is None or higher.data is None or lower.data <= higher.data:
        return True
    lower.errors = [*lower.errors, f"must not be above the {higher.label.text.split()[0].lower()} one ({higher._value()})."]
    higher.errors = [*higher.errors, f"must not be below the {lower.label.text.split()[0].lower()} one ({lower._value()})."]
    return False


class SiteForm(form_of(SiteRow)):
    """A site."""

    title = "Site"
    paths = {f"site.{name}": name for name in ("name", "typical_degc", "min_degc", "max_degc")}

    def validate(self, extra_validators: Any = None) -> bool:
        """Refuse temperatures that are out of order, beside both of them."""
        good = super().validate(extra_validators)
        return refuse_disorder(self.min_degc, self.typical_degc) and refuse_disorder(self.typical_degc, self.max_degc) and good


class RequirementForm(form_of(RequirementRow, REQUIREMENT_NESTS)):
    """A requirement."""

    title = "Requirement"
    notes: ClassVar[Mapping[str, str]] = {
        "": "Whose rule it is. The inspector asks for its source.",
        "Must hold": "How long it stands by after the mains fails, and then sounds. Without a recharge time nobody asks whether it is ready for the next cut.",
        "Cuts that come again and again": "When mains is cut by schedule, every week. A history that was measured is brought in on the page Season. Left empty a single cut counts.",
        "Judged by": "The school that decides. The others stand beside it.",
    }
    foldable = frozenset({"Cuts that come again and again", "Factors of the derated method", "Factors of energy and autonomy"})
    # Usable share, age and activity as they are commonly taken: each by name, so that none counts twice.
    presets = (("New", "65 %", "100 %", "90 %"), ("Three years", "65 %", "70 %", "90 %"), ("Cautious", "65 %", "50 %", "90 %"))

    def columns(self) -> Row:
        """Return the columns; a week that is typed takes the place of a history."""
        found = super().columns()
        return found | {"cuts_list": None, "cuts_length_h": None} if found["cuts_week"] is not None else found


class ProfileForm(form_of(ProfileRow, REQUIREMENT_NESTS)):
    """A requirement profile of one's own."""

    title = "Requirement profile"
    notes = RequirementForm.notes
    foldable = RequirementForm.foldable
    presets = RequirementForm.presets


class StockForm(form_of(StockRow)):
    """A block one can buy."""

    title = "Block in stock"

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


class PlanForm(form_of(PlanRow)):
    """A plan: its name, and what it stands for."""

    title = "Plan"


REQUIREMENT_START: Row = {**defaults_of(RequirementRow), "alarm_min": 30.0, "method": "simulation"}


_Supply = form_of(SupplyRow, SUPPLY_NESTS)


class SupplyForm(_Supply):
    """A supply and its bank."""

    title = "Supply"
    notes: ClassVar[Mapping[str, str]] = {
        "": "What it is, and down to which voltage it goes on. Without a cut-off nothing protects its battery.",
        "Its battery": "It stands on the block's label: volts, amp-hours, and the hours they are rated over. Left empty there is no battery, and it holds nothing.",
        "More of the battery": "For a data sheet or an impedance meter at hand. Left empty the usual figures of its kind count.",
        "Its fuse and lead, if you have looked": "What stands between the battery and its supply. Left empty its wiring is not judged, and that is said.",
        "Its own protection, if it has one": "A lithium pack's own electronics. Left empty nothing is taken to protect it.",
        "Discharge table, if you have one": "The maker's table narrows the hours from ±10 % of capacity to ±3 %. Left empty the usual curve of its kind counts.",
        "Its output and charger": "It stands on the supply's label. Left empty nobody can say whether it is overloaded, or when the battery is full again.",
        "Its AC output, if it is an AC UPS": "It stands on the label of the UPS. Left empty how long it holds is not known; its overhead alone may stay empty.",
        "Its DC output, if it is a DC UPS": "It stands on the label, or was found on the bench. Left empty how long a DC UPS holds is not known.",
        "Its windows of charge, if it has any": "For a vehicle, a generator, a night tariff: when there is charge. All other time is without. Left empty such a supply is not computed.",
        "Its panels, if the sun charges it": "The panel's label, and how much sun each month brings. Left empty a solar supply is not computed.",
        "Its place": "Left empty it is as warm and cold as the site. Heat takes years off a battery, cold takes hours.",
    }
    foldable = frozenset(
        {
            "More of the battery",
            "Its own protection, if it has one",
            "Its fuse and lead, if you have looked",
            "Discharge table, if you have one",
            "Its AC output, if it is an AC UPS",
            "Its DC output, if it is a DC UPS",
            "Its windows of charge, if it has any",
            "Its panels, if the sun charges it",
            "Its place",
        }
    )
    caution = (
        "Mains is isolated by a competent person. A battery's short-circuit current burns: insulate tools, fuse jumpers before breaking a "
        "battery lead. Warn the monitoring centre before a life-safety or intruder system goes off line. Local codes come first."
    )
    # Loads on this supply without a converter must suit its voltage; the site's own temperatures bound those here.
    paths = {
        **_Supply.paths,
        "bank": "bank_block_v",
        "site.typical_degc": "typical_degc",
        "site.min_degc": "min_degc",
        "*.rail_v": "nominal_v",
    }
    _NEEDED = ("bank_block_v", "bank_capacity_ah", "bank_rate_h", "bank_series", "bank_parallel")
    table_hint = (
        "a line per row, as in 0.35 A; 20 h; 10.5 V, or 7 Ah at 20 h to 10.5 V; what it showed before its end as in 0.35 A; 10 h; 12.2 V on the way; "
        "a maker's grid of amperes is read whole, with all its end voltages"
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.table_rows: list[DischargeRow] = []
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
        cells_count = self.bank_cells_count.data or cells_of_block(key, block_v)
        table = DischargeTable(rows=tuple(self.table_rows), block_c20_ah=block_c20_ah(key, capacity_ah, rate_h))
        return fit_table(table, CHEMISTRIES[key], cells_count).rows

    def questions(self, row: Row | None) -> list[str]:
        """Ask about rows of the table that do not go with the others, and about a fuse that nobody sells for a battery lead."""
        asked = [f"{say_suspect_row(r)} Is it right? It will count for little." for r in self.fitted() if r.is_suspect]
        fuse_a = self.bank_fuse_a.data
        if fuse_a is not None and fuse_a > SOLD_FUSES_A[-1]:
            asked.append(
                f"A battery fuse of {fuse_a:g} A is above every size that goes with a listed lead, {SOLD_FUSES_A[-1]:g} A. Is it right?"
            )
        return asked

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for what a bank needs, where there is one."""
        good = super().validate(extra_validators)
        if self.enclosure_gas_tight.data and self.enclosure_volume_m3.data is None and not self.enclosure_volume_m3.errors:
            self.enclosure_volume_m3.errors = ["must not be empty for a gas-tight box: as in 50 l."]
            good = False
        good = self._panel_is_whole() and self._wiring_is_whole() and good
        if self.bank_chemistry.data:
            good = self._read_table() and good
            for name in self._NEEDED:
                field = self[name]
                if field.data is None and not field.errors:
                    field.errors = [f"must not be empty where there is a battery: {getattr(field, 'hint', '')}."]
                    good = False
        return good

    def _wiring_is_whole(self) -> bool:
        """Refuse a fuse that nobody sells, volts of a fuse that is not there, and half a lead."""
        good = True
        if self.bank_fuse_a.data is not None and self.bank_fuse_a.data > LARGEST_FUSE_A:
            self.bank_fuse_a.errors = [f"must be at most {LARGEST_FUSE_A} A: no fuse is sold that is larger. Blades go to 40 A."]
            good = False
        if self.bank_fuse_dc_v.data is not None and self.bank_fuse_a.data is None and not self.bank_fuse_a.errors:
            self.bank_fuse_a.errors = ["must not be empty where its volts are said: as in 5 A."]
            good = False
        length, section = self.bank_lead_length_m, self.bank_lead_section_mm2
        for here, there in ((length, section), (section, length)):
            if here.data is None and there.data is not None and not here.errors:
                here.errors = [f"must not be empty where the lead is said: {here.hint}."]
                good = False
        return good

    def columns(self) -> Row:
        """Return the columns; without a bank all of its columns are blank."""
        found = self._with_outputs(super().columns())
        if not found["bank_chemistry"]:
            return found | blank_row(BankRow)
        return found | {"bank_discharge_table": [asdict(r) for r in self.table_rows]}

    def _with_outputs(self, found: Row) -> Row:
        """Return the columns with an output where something was said of it, its voltage as is usual where that was left out."""
        usual_v = {"ac": 230.0, "dc": self.nominal_v.data}
        for part in ("ac", "dc"):
            names = [f.name for f in self if f.name.startswith(f"{part}_")]
            typed = [n for n in names if self[n].data not in (None, "")]
            wakes = part == "dc" and bool(self.dc_wakes_on_load.data)
            if not typed and not wakes:
                found |= dict.fromkeys(names)
            elif self[f"{part}_output_v"].data is None:
                found[f"{part}_output_v"] = usual_v[part]
        if found["dc_output_v"] is not None and found["dc_wakes_on_load"] is None:
            found["dc_wakes_on_load"] = True
        if not found["solar_controller"]:
            found |= {f.column: None for f in fields_of(SupplyRow) if f.column.startswith("solar_")}
        return found

    def _panel_is_whole(self) -> bool:
        """Ask for what stands between panel and battery, and for the sun, where there is a panel."""
        if not self.solar_controller.data:
            panel = [n for n in ("solar_panel_w", "solar_panel_imp_a", "solar_panel_isc_a", "solar_sun_h_by_month") if self[n].data]
            if panel:
                self.solar_controller.errors = ["must not be empty where there is a panel: say what stands between it and the battery."]
            return not panel
        good = True
        needed = "solar_panel_w" if self.solar_controller.data == "mppt" else "solar_panel_imp_a"
        for name in (needed, "solar_sun_h_by_month"):
            field = self[name]
            if field.data is None and not field.errors:
                field.errors = [f"must not be empty where there is a panel: {getattr(field, 'hint', '')}."]
                good = False
        return good

    @classmethod
    def data_of(cls, row: Row) -> dict[str, Any]:
        """Return the fields' data of a row, the discharge table as text."""
        return super().data_of(row) | {"bank_discharge_table": write_discharge_text(row.get("bank_discharge_table") or [])}


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


class BurstForm(part_form_of(BurstRow)):
    """One burst. How long it lasts may also be said with how often, as in `3 s every 10 min`."""

    needed = ("current_a", "per_hour", "duration_s")

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


class ThermostatForm(part_form_of(ThermostatRow)):
    """A heater or a fan."""

    needed = ("current_a",)

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for one of the two temperatures."""
        good = super().validate(extra_validators)
        if not self.is_blank and (self.below_degc.data is None) == (self.above_degc.data is None) and not self.below_degc.errors:
            self.below_degc.errors = ["needs one of the two: below which temperature it is on, or above which."]
            return False
        return good


class RechargeForm(part_form_of(RechargeRow)):
    """A device's own battery, filled from the supply."""

    needed = ("per_day",)

    def validate(self, extra_validators: Any = None) -> bool:
        """Ask for the energy, one way or the other."""
        good = super().validate(extra_validators)
        known = self.energy_wh.data is not None or (self.charge_ah.data is not None and self.battery_v.data is not None)
        if not self.is_blank and not known and not self.energy_wh.errors:
            self.energy_wh.errors = ["must not be empty: as in 18 Wh, or fill charge and voltage beside it."]
            return False
        return good


class LoadForm(form_of(LoadRow, LOAD_NESTS, {"bursts": BurstForm, "thermostats": ThermostatForm, "recharges": RechargeForm})):
    """A load: its cells in the register and the rest of it."""

    title = "Load"
    notes: ClassVar[Mapping[str, str]] = {
        "Current of one piece": "Measured in series for a minute is best. Left empty the alarm is as standby.",
        "How it is fed": "Left empty it hangs straight on what its supply gives, and needs no least voltage of its own.",
        "Where it is": "The cable's length and section say what is lost on the way. Left empty nothing is lost.",
        "Doors": "Only for what locks or releases a door: what happens to people when the power ends.",
    }
    foldable = frozenset({"How it is fed", "Where it is", "Doors", "On AC, if it runs from a UPS"})

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        # Who shows the whole form offers the plan's selectors; a cell keeps the one that is there.
        here = str(self.selector.data or "")
        self.selector.choices = {"": "none"} | ({here: here} if here else {})

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
        found = super().columns()
        # A figure typed anew is not the one a reading gave; see `keep_readings`.
        found |= {f"{state}_{part}": None for state in ("standby", "alarm") for part in ("uncertainty_a", "reading")}
        found |= {"standby_text": _typed(self.standby), "alarm_text": _typed(self.alarm)}
        for state in ("standby", "alarm"):
            found[f"{state}_current_a"] = _number(found[f"{state}_current_a"])
        if self.alarm.data is None:
            found |= {"alarm_provenance": None, "alarm_text": None}
        if not self.converter.data:
            found["converter_efficiency_ratio"] = None
        if found["selector_key"] is not None:
            found["supply_id"] = None
        return found

    @staticmethod
    def keep_readings(columns: Row, row: Row) -> Row:
        """Return columns with the reading behind each current that is still the one it gave; see `typed_over`."""
        for name in ("standby", "alarm"):
            if all(columns[f"{name}_{part}"] == row[f"{name}_{part}"] for part in ("current_a", "provenance")):
                columns |= {f"{name}_{part}": row[f"{name}_{part}"] for part in ("uncertainty_a", "reading")}
        return typed_over(columns, row)

    @classmethod
    def data_of(cls, row: Row) -> dict[str, Any]:
        """Return the fields' data of a row, its currents as they were typed."""
        return super().data_of(row) | {
            "standby": Typed.of(row, "standby"),
            "alarm": Typed.of(row, "alarm"),
            "alarm_provenance": row.get("alarm_provenance") or row.get("standby_provenance"),
        }


def typed_over(columns: Row, row: Row) -> Row:
    """Return columns in which a figure typed over a measured one is an estimate: nobody measured it. The reading stays where it was taken."""
    for name in ("standby", "alarm"):
        current, known = f"{name}_current_a", f"{name}_provenance"
        if row.get(known) != Provenance.MEASURED.value or columns.get(current, row[current]) in (None, row[current]):
            continue
        if columns.get(known, row[known]) == Provenance.MEASURED.value:
            columns = {**columns, known: Provenance.ESTIMATE.value}
    return columns


LOAD_START: Row = {
    "quantity": 1,
    "rail_v": 12.0,
    "behaviour": "constant_current",
    "essential": True,
    "pinned": False,
    "standby_provenance": "estimate",
    "bursts": [],
}


def _number(value: float | None) -> float | None:
    return None if value is None else float(value)


def _typed(field: CurrentField) -> str | None:
    text = str(field.raw_data[0]).strip() if field.raw_data else ""
    return text or None


class PlaceForm(form_of(PlaceRow)):
    """A place of the site."""

    title = "Place"

    def validate(self, extra_validators: Any = None) -> bool:
        """Refuse temperatures that are out of order."""
        good = super().validate(extra_validators)
        return refuse_disorder(self.min_degc, self.typical_degc) and good


class RunForm(form_of(RunRow)):
    """The way of a cable from a place to a supply."""

    title = "Distance"

    def columns(self) -> Row:
        """Return the columns; a run is named after its ends."""
        return super().columns() | {"name": f"{self._chosen(self.place)} to {self._chosen(self.supply)}"}

    @staticmethod
    def _chosen(field: ChoiceField) -> str:
        return str(field.choices[field.data]) if isinstance(field.choices, dict) else str(field.data)


class PointForm(form_of(PointRow)):
    """A measuring point."""

    title = "Measuring point"

    def columns(self) -> Row:
        """Return the columns; only a device's point has a load."""
        found = super().columns()
        return found if self.kind.data == "device" else found | {"load_id": None}


class RangeForm(part_form_of(RangeRow)):
    """One range of an instrument."""

    needed = ("limit_a",)

    def columns(self) -> Row:
        """Return the columns; most jacks are marked mA."""
        return super().columns() | {"jack": self.jack.data or "mA"}


class InstrumentForm(form_of(InstrumentRow, parts={"ranges": RangeForm})):
    """A meter."""

    title = "Instrument"

    def columns(self) -> Row:
        """Return the columns; ranges in the order of their limits."""
        found = super().columns()
        return found | {"ranges": sorted(found["ranges"], key=lambda r: r["limit_a"])}


INSTRUMENT_START: Row = defaults_of(InstrumentRow)

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
