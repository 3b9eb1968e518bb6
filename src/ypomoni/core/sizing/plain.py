"""Plain: current times time. Shown to be beaten; it knows neither ageing nor cold, and is dangerous above C/10."""

from ypomoni.core.requirements import Method
from ypomoni.core.results import MethodResult, Step, Working
from ypomoni.core.sizing.profile import Profile


def size_plain(profile: Profile) -> MethodResult:
    """Return T1·I1 + T2·I2. [Ah]"""
    required_ah = profile.charge_ah
    return MethodResult(
        method=Method.PLAIN,
        required_ah=required_ah,
        working=Working(
            title="Plain: current times time",
            value=required_ah,
            unit="Ah",
            source="arithmetic; it allows for neither ageing nor cold nor rate",
            inputs=profile.inputs(),
            steps=(Step(symbol="C", expression="T1*I1 + T2*I2", value=required_ah, unit="Ah"),),
        ),
    )
