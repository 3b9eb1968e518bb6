"""The words of the interface for the words that are kept: one table each."""

from ypomoni.core.chemistries import CHEMISTRIES
from ypomoni.core.things.supply_kinds import KINDS

KIND_WORDS = {kind.value: told.name for kind, told in KINDS.items()}
CHEMISTRY_WORDS = {key: chemistry.short_name for key, chemistry in CHEMISTRIES.items()}
SELECTOR_WORDS = {
    "first_present": "the first input that has a voltage",
    "highest_voltage": "the input with the highest voltage, through diodes",
}
STAGE_WORDS = {"as_found": "what was found", "proposal": "a proposal", "as_left": "what was left"}
PROVENANCE_WORDS = {"measured": "measured", "data_sheet": "data sheet", "nameplate": "nameplate", "estimate": "estimate"}
PURPOSE_WORDS = {"life_safety": "life safety", "security": "security", "monitoring": "monitoring", "convenience": "convenience"}
SYSTEM_WORDS = {
    "fire": "fire alarm",
    "intruder": "intruder alarm",
    "access": "access control",
    "monitoring": "monitoring",
    "other": "something else",
}
LOCK_WORDS = {"fail_safe": "a lock that lets go without current", "fail_secure": "a lock that stays locked without current"}
ROW_KIND_WORDS = {"end": "the end of a run", "reading": "a reading on the way"}
CHARGE_END_WORDS = {"current": "charge current", "time": "timer", "float_stage": "float stage"}
FUSE_KIND_WORDS = {"blade": "blade fuse", "bolted": "bolted fuse", "cartridge": "cartridge fuse"}
WAVEFORM_WORDS = {"sine": "sine wave", "stepped": "stepped wave"}
TOPOLOGY_WORDS = {"buck": "step-down (buck)", "boost": "step-up (boost)", "buck_boost": "step-up/down (buck-boost)", "linear": "linear"}
CHARGE_WORDS = {"float": "held at its voltage for good", "cyclic": "ended by time or current", "timed": "a timed charge, for nickel cells"}
POINT_WORDS = {"battery": "Battery lead", "output": "Supply output", "branch": "Branch", "device": "Device"}
STATE_WORDS = {
    "standby": "Standby",
    "alarm": "Alarm",
    "transmitting": "Transmitting",
    "walk_about": "Walk-about",
    "custom": "Other",
}
MAINS_WORDS = {"on": "Mains on", "off": "Mains off"}
HOOKUP_WORDS = {"series": "In series", "clamp": "Clamp", "bench": "Bench supply", "power_meter": "Power meter, AC"}
BEHAVIOUR_WORDS = {"constant_current": "Constant current", "constant_power": "Constant power", "resistive": "Resistive"}
CONVERTER_WORDS = {"switching": "Switching", "linear": "Linear"}
METHOD_CHOICES = {
    "simulation": "Simulation, aged and cold",
    "standard_formula": "Standard formula (× 1.25)",
    "standby_alarm_margin": "Standby + alarm with margin (× 1.20)",
    "derated": "Derated by usable, age, activity",
    "section": "Section method",
    "autonomy_with_losses": "Energy and autonomy, with depth and inverter",
    "energy_autonomy": "Energy and autonomy days",
    "plain": "Plain: current × time",
}
DAY_WORDS = {
    "daily": "every day",
    "mon": "Monday",
    "tue": "Tuesday",
    "wed": "Wednesday",
    "thu": "Thursday",
    "fri": "Friday",
    "sat": "Saturday",
    "sun": "Sunday",
}
CONTROLLER_WORDS = {"none": "nothing, the panel alone", "pwm": "a simple controller (PWM)", "mppt": "a tracking controller (MPPT)"}
DURING_WORDS = {"always": "Always", "alarm": "In alarm only"}
POSITIVE_WORDS = {"discharge": "towards the loads", "charge": "into the battery"}

DISCHARGE_END_WORDS = {"end_voltage": "at its end voltage", "stopped": "stopped before it"}
