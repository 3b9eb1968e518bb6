"""All components of the interface in all their states, to look at and to compare with a picture of them."""

from typing import Any

from flask import Blueprint, abort, current_app, render_template
from wtforms import BooleanField, Form, SelectField, StringField, TextAreaField

from ypomoni.core.telling.results import Severity, Verdict
from ypomoni.web.plan.answer import FindingView
from ypomoni.web.plan.finding_groups import group_findings
from ypomoni.web.plan.frame import STAGES, StageMark
from ypomoni.web.words import SEVERITY_WORDS, VERDICT_WORDS

blueprint = Blueprint("developers", __name__, template_folder="templates", url_prefix="/developers")


class _SampleForm(Form):
    text = StringField("Charge voltage")
    wrong = StringField("Own current")
    choice = SelectField("Draw behaviour", choices={"a": "constant current", "b": "constant power"})
    check = BooleanField("Essential")
    long = TextAreaField("Discharge table")


@blueprint.get("/components")
def components() -> Any:
    """Show every component."""
    if not current_app.config["DEVELOPERS"]:
        abort(404)
    form = _SampleForm(data={"text": "13.65 V", "wrong": "60", "long": "0.35 A; 20 h; 10.5 V"})
    for field, hint in zip(form, ("at the battery, as in 13.65 V", "", "", "", "a line a row"), strict=True):
        setattr(field, "hint", hint)  # noqa: B010 - our own fields have one
    form.wrong.errors = ["60 has no unit. Write 60 mA or 60 A."]
    marks = dict(
        zip(
            (key for key, *_ in STAGES),
            (StageMark(shape=s, said=s) for s in ("holds", "risk", "fails", "open", "", "open", "risk")),
            strict=True,
        )
    )
    findings = [
        FindingView(
            severity=severity.value,
            word=SEVERITY_WORDS[severity],
            supply="s",
            code=code,
            evidence="Bay B holds 11 h of 24 h: its charge is spent. Door magnets take 40 % of it.",
            source="client's contract",
            way_out="Fit 2 × 12 V 24 Ah in parallel, new.",
            working=None,
        )
        for severity, code in zip(
            Severity, ("charge_voltage_dangerous", "holdover_below_requirement", "weak_link", "double_margin"), strict=True
        )
    ]
    verdicts = [(v.value, VERDICT_WORDS[v]) for v in Verdict]
    severities = [(s.value, SEVERITY_WORDS[s]) for s in Severity]
    return render_template(
        "developers/components.html",
        form=form,
        stage_marks=marks,
        findings=group_findings(findings),
        verdicts=verdicts,
        severities=severities,
    )
