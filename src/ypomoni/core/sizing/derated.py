"""Derated: plain, divided by three named factors."""

from ypomoni.core.requirements import Derating, Method
from ypomoni.core.results import MethodResult, Step, Working, WorkingInput
from ypomoni.core.sizing.profile import Profile


def size_derated(profile: Profile, derating: Derating) -> MethodResult:
    """Return plain/(usable·age·activity). [Ah]"""
    required_ah = profile.charge_ah / (derating.usable_ratio * derating.age_ratio * derating.activity_ratio)
    factors = (
        ("fu", "usable share", derating.usable_ratio),
        ("fa", "age", derating.age_ratio),
        ("fx", "activity", derating.activity_ratio),
    )
    return MethodResult(
        method=Method.DERATED,
        required_ah=required_ah,
        working=Working(
            title="Derated: plain over usable, age and activity",
            value=required_ah,
            unit="Ah",
            source="common practice; the factors are the requirement's",
            inputs=(
                *profile.inputs(),
                *(WorkingInput(symbol=s, meaning=m, value=v, unit="", provenance=profile.source) for s, m, v in factors),
            ),
            steps=(Step(symbol="C", expression="(T1*I1 + T2*I2) / (fu*fa*fx)", value=required_ah, unit="Ah"),),
        ),
    )
