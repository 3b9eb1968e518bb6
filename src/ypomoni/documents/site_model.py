"""The shape of the site file, version 1. Read by `site_file`; the JSON Schema in docs/ is written from it."""

import unicodedata
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from ypomoni.core.batteries import cells_of_block
from ypomoni.core.errors import QuantityError
from ypomoni.core.loads import Behaviour, ConverterKind, During, Provenance, duty_fault
from ypomoni.core.requirements import Method
from ypomoni.core.supplies import Stage, SupplyKind
from ypomoni.core.units import SECONDS_PER_HOUR

FORMAT = "ypomoni-site"
VERSION = 1
MOST_LOADS = 1_000
MOST_SUPPLIES = 200


def _printable(text: str) -> str:
    if any(unicodedata.category(c) in ("Cc", "Cs") for c in text):
        raise ValueError("must not hold control characters.")
    if not text.strip():
        raise ValueError("must not be blank.")
    return text


def _plain(text: str) -> str:
    if any(unicodedata.category(c) in ("Cc", "Cs") and c not in "\n\t" for c in text):
        raise ValueError("must not hold control characters.")
    return text


Number = Annotated[float, Field(strict=True, allow_inf_nan=False)]
Whole = Annotated[int, Field(strict=True)]
Key = Annotated[str, Field(strict=True, min_length=1, max_length=80), AfterValidator(_printable)]
Name = Annotated[str, Field(strict=True, min_length=1, max_length=200), AfterValidator(_printable)]
Text = Annotated[str, Field(strict=True, max_length=1000), AfterValidator(_plain)]
Temperature = Annotated[Number, Field(ge=-60, le=90)]
Current = Annotated[Number, Field(ge=0, le=1000)]
Volts = Annotated[Number, Field(gt=0, le=1000)]
Ratio = Annotated[Number, Field(gt=0, le=1)]

ChemistryKey = Literal["lead_agm", "lead_gel", "lifepo4", "li_ion", "nimh", "alkaline", "li_mno2", "li_fes2", "li_socl2"]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", use_enum_values=True)


class DeratingPart(_Part):
    """The three factors of the derated method."""

    usable_ratio: Ratio = 0.65
    age_ratio: Ratio = 1.0
    activity_ratio: Ratio = 0.9


class RequirementPart(_Part):
    """What must hold, and by which method it is judged."""

    key: Key
    name: Name | None = None
    source: Text = ""
    standby_h: Annotated[Number, Field(gt=0, le=87_600)]
    alarm_min: Annotated[Number, Field(ge=0, le=10_080)] = 0.0
    recharge_h: Annotated[Number, Field(gt=0, le=87_600)] | None = None
    recharge_to_ratio: Annotated[Number, Field(gt=0, lt=1)] = 0.8
    method: Method
    end_of_life_ratio: Annotated[Number, Field(ge=0.3, le=1)] = 0.8
    design_margin_ratio: Annotated[Number, Field(ge=1, le=5)] = 1.0
    derating: DeratingPart = DeratingPart()


class BankPart(_Part):
    """A supply's battery: equal blocks in series and parallel."""

    chemistry: ChemistryKey
    block_v: Volts
    capacity_ah: Annotated[Number, Field(gt=0, le=100_000)]
    rate_h: Annotated[Number, Field(gt=0, le=1_000)]
    series: Annotated[Whole, Field(ge=1, le=100)]
    parallel: Annotated[Whole, Field(ge=1, le=100)]
    age_y: Annotated[Number, Field(ge=0, le=50)] = 0.0
    condition_ratio: Annotated[Number, Field(ge=0.2, le=1.2)] | None = None
    life_y: Annotated[Number, Field(gt=0, le=50)] | None = None
    cells_count: Annotated[Whole, Field(ge=1, le=500)] | None = None

    @model_validator(mode="after")
    def _whole_cells(self) -> Self:
        if self.cells_count is None:
            try:
                cells_of_block(str(self.chemistry), self.block_v)
            except QuantityError as error:
                raise ValueError(str(error)) from error
        return self


class SupplyPart(_Part):
    """What feeds the loads when mains fails. A limit or charger figure of null is one that is not known."""

    key: Key
    name: Name
    kind: SupplyKind
    requirement: Key
    nominal_v: Volts
    cutoff_v: Volts | None
    own_current_a: Current = 0.0
    output_limit_a: Annotated[Current, Field(gt=0)] | None
    alarm_output_limit_a: Annotated[Current, Field(gt=0)] | None = None
    supply_current_a: Current | None
    charge_limit_a: Current | None
    charge_v: Volts | None
    typical_degc: Temperature | None = None
    min_degc: Temperature | None = None
    bank: BankPart | None = None


class ConverterPart(_Part):
    """A converter between battery and rail."""

    kind: ConverterKind
    efficiency_ratio: Annotated[Number, Field(ge=0.05, le=1)] | None = None

    @model_validator(mode="after")
    def _switching_has_efficiency(self) -> Self:
        if self.kind == ConverterKind.SWITCHING.value and self.efficiency_ratio is None:
            raise ValueError("efficiency_ratio is missing: a switching converter needs one, 0.85 is common.")
        return self


class CurrentPart(_Part):
    """A current as stated on the load's rail."""

    current_a: Current
    provenance: Provenance


class BurstPart(_Part):
    """A mode that recurs."""

    name: Annotated[str, Field(strict=True, max_length=200), AfterValidator(_plain)] = "burst"
    current_a: Current
    duration_s: Annotated[Number, Field(gt=0, le=864_000)]
    per_hour: Annotated[Number, Field(ge=0.0001, le=36_000)]
    offset_s: Annotated[Number, Field(ge=0, le=2_678_400)] = 0.0
    during: During = During.ALWAYS


class LoadPart(_Part):
    """A device or a group of equal devices; currents are per piece."""

    key: Key
    name: Name
    supply: Key | None
    quantity: Annotated[Whole, Field(ge=1, le=10_000)]
    rail_v: Volts
    behaviour: Behaviour
    converter: ConverterPart | None = None
    min_v: Volts | None = None
    essential: Annotated[bool, Field(strict=True)] = True
    standby: CurrentPart
    alarm: CurrentPart | None = None
    bursts: Annotated[list[BurstPart], Field(max_length=20)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _enough_time(self) -> Self:
        duty_ratio = sum(b.per_hour * b.duration_s for b in self.bursts) / SECONDS_PER_HOUR
        if duty_ratio > 1 + 1e-9:
            raise ValueError(duty_fault(duty_ratio))
        return self


class PlanPart(_Part):
    """One configuration of the site."""

    key: Key
    name: Name
    stage: Stage
    supplies: Annotated[list[SupplyPart], Field(max_length=MOST_SUPPLIES)]
    loads: Annotated[list[LoadPart], Field(max_length=MOST_LOADS)]


class SitePart(_Part):
    """One premises."""

    name: Name
    typical_degc: Temperature
    min_degc: Temperature
    max_degc: Temperature | None = None


class SiteFile(_Part):
    """A whole site."""

    format: Literal["ypomoni-site"]
    version: Literal[1]
    site: SitePart
    requirements: Annotated[list[RequirementPart], Field(max_length=100)]
    plans: Annotated[list[PlanPart], Field(max_length=50)]
