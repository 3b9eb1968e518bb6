"""The form of a reading: what a thumb can fill, and what is kept of it."""

import re
from datetime import UTC, datetime
from typing import Any

from wtforms import Form, HiddenField

from ypomoni.records import kinds
from ypomoni.records.field import Row
from ypomoni.records.words import HOOKUP_WORDS, MAINS_WORDS, STATE_WORDS
from ypomoni.web.fields import ChoiceField, QuantityField, SignedCurrentField, TextField

UNITS = {"A": "A", "mA": "mA", "µA": "µA"}


class ReadingForm(Form):
    """One reading. A bare number takes the unit of the button that is pressed."""

    point = ChoiceField("Point", choices={})
    state = ChoiceField("State", choices=STATE_WORDS, default="standby")
    state_note = TextField("Which state", required=False, hint="as in heater on")
    mains = ChoiceField("Mains", choices={"": "not said", **MAINS_WORDS}, default="")
    unit = ChoiceField("Unit", choices=UNITS, default="mA")
    value = SignedCurrentField("Reading", kinds.CURRENT, hint="the mean, as in 182, 0,35 A or 4.2 W @ 12 V")
    least = SignedCurrentField("Least seen", kinds.CURRENT, optional=True, hint="while you read")
    greatest = SignedCurrentField("Greatest seen", kinds.CURRENT, optional=True, hint="while you read")
    positive_means = ChoiceField(
        "Plus on the display means", choices={"discharge": "towards the loads", "charge": "into the battery"}, default="discharge"
    )
    battery_v = QuantityField("Battery volts now", kinds.VOLTAGE, optional=True, hint="as in 12.7 V")
    instrument = ChoiceField("Instrument", choices={})
    hookup = ChoiceField("How", choices=HOOKUP_WORDS, default="series")
    temperature_degc = QuantityField("Temperature", kinds.TEMPERATURE, optional=True, hint="as in 18 °C")
    taken_by = TextField("Read by", required=False)
    remark = TextField("Remark", required=False, longest=1000)
    supersedes = HiddenField("Supersedes")
    reason = TextField("Why it supersedes the other", required=False, longest=1000, hint="as in wrong unit, A for mA")
    taken_at = HiddenField("When")

    paths = {
        "value_a": "value",
        "min_a": "least",
        "max_a": "greatest",
        "battery_v": "battery_v",
        "reason": "reason",
        "supersedes": "reason",
        "instrument": "instrument",
    }

    def validate(self, extra_validators: Any = None) -> bool:
        """Check what goes together: least below greatest, a reason where something is superseded, a moment that is one."""
        good = super().validate(extra_validators)
        if self.least.data is not None and self.greatest.data is not None and self.least.data > self.greatest.data:
            self.least.errors = [f"must not be above the greatest ({self.greatest._value()})."]
            good = False
        if self.supersedes.data and not (self.reason.data or "").strip():
            self.reason.errors = ["must not be empty: say why the other is wrong."]
            good = False
        if self.state.data == "custom" and not (self.state_note.data or "").strip():
            self.state_note.errors = ["must not be empty: what was it doing?"]
            good = False
        return good

    def entry(self) -> Row:
        """Return the columns of the reading."""
        return {
            "point_id": int(self.point.data or 0),
            "state": self.state.data,
            "state_note": self.state_note.data or "",
            "mains": self.mains.data or None,
            "value_a": self.value.data,
            "min_a": self.least.data,
            "max_a": self.greatest.data,
            "as_written": self._as_written(),
            "positive_means": self.positive_means.data or "discharge",
            "battery_v": self.battery_v.data,
            "instrument_id": int(self.instrument.data) if self.instrument.data else None,
            "hookup": self.hookup.data,
            "temperature_degc": self.temperature_degc.data,
            "taken_by": self.taken_by.data or "",
            "taken_at": self._moment(),
            "remark": self.remark.data or "",
            "supersedes_id": int(self.supersedes.data or 0) if re.fullmatch(r"[0-9]{1,18}", self.supersedes.data or "") else None,
            "reason": self.reason.data or "",
        }

    def _as_written(self) -> str:
        text = self.value._value().strip()
        return text if any(c.isalpha() or c == "µ" for c in text) else f"{text} {self.unit.data}"

    def _moment(self) -> datetime:
        """Return when it was typed, by the phone's clock; never later than now."""
        now = datetime.now(UTC)
        try:
            moment = datetime.fromisoformat((self.taken_at.data or "").replace("Z", "+00:00"))
        except ValueError:
            return now
        return min(moment, now) if moment.tzinfo is not None else now


def reading_form(data: Any, *, points: dict[str, str], instruments: dict[str, str]) -> ReadingForm:
    """Return the form filled from what was sent, its bare numbers in the unit that was pressed."""
    form = ReadingForm(meta={"csrf": False})
    form.point.choices = points
    form.instrument.choices = {"": "a common multimeter", **instruments}
    unit = data.get("unit", "mA") if data is not None else "mA"
    for field in (form.value, form.least, form.greatest):
        field.bare_unit = unit if unit in UNITS else "mA"
    if data is not None:
        form.process(data)
    return form
