"""The endurance strip, printed: a lane's thickness is current, its length time, so its area is charge; what is missing is hatched."""

from html import escape

from ypomoni.core.telling.results import PlanResult, SupplyResult
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_required_h

WIDTH, LEFT, RIGHT, TOP = 720.0, 150.0, 20.0, 18.0
LANE, GAP, THICKEST, THINNEST = 34.0, 16.0, 30.0, 3.0
AXIS = 26.0
# Beyond this many times what must hold a lane is broken off, and says so.
FURTHEST_RATIO = 1.6
MOST_TICKS = 8
ROUND_STEPS_H = (0.1, 0.25, 0.5, 1.0, 2.0, 4.0, 6.0, 12.0, 24.0, 48.0, 120.0, 240.0, 720.0, 2_400.0, 8_760.0, 17_520.0)


def draw_strip(result: PlanResult) -> str:
    """Return the strip of a plan as SVG."""
    lanes = result.supplies
    must_h = max((s.standby_h for s in lanes), default=24.0)
    longest_h = max((s.holdover.high for s in lanes if s.holdover), default=must_h)
    axis_h = max(must_h * 1.15, min(longest_h, FURTHEST_RATIO * must_h))
    greatest_a = max((s.standby_current_a or 0.0 for s in lanes), default=0.0) or 1.0
    height = TOP + len(lanes) * (LANE + GAP) + AXIS
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH:g} {height:g}" width="100%" role="img" aria-label="Endurance strip of {escape(result.name)}">',
        '<defs><pattern id="missing" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        '<rect width="6" height="6" fill="#f7e3df"/><line x1="0" y1="0" x2="0" y2="6" stroke="#a13a2a" stroke-width="1.6"/></pattern></defs>',
    ]
    for n, supply in enumerate(lanes):
        parts.append(_lane(supply, TOP + n * (LANE + GAP), axis_h, greatest_a))
    base = TOP + len(lanes) * (LANE + GAP)
    step_h = next((s for s in ROUND_STEPS_H if axis_h / s <= MOST_TICKS), ROUND_STEPS_H[-1])
    for n in range(int(axis_h / step_h) + 1):
        hours = n * step_h
        x = _x(hours, axis_h)
        parts.append(f'<line x1="{x:g}" x2="{x:g}" y1="{TOP:g}" y2="{base:g}" stroke="#c9c4b8" stroke-width="0.5"/>')
        parts.append(f'<text x="{x:g}" y="{base + 11:g}" font-size="9" text-anchor="middle" fill="#444">{plain_number(hours)}</text>')
    parts.append(
        f'<text x="{(LEFT + WIDTH) / 2:g}" y="{base + 23:g}" font-size="9" text-anchor="middle" fill="#444">hours since the mains failed [h]</text>'
    )
    return "".join([*parts, "</svg>"])


def _x(hours_h: float, axis_h: float) -> float:
    return LEFT + (WIDTH - LEFT - RIGHT) * min(hours_h, axis_h) / axis_h


def _lane(supply: SupplyResult, y: float, axis_h: float, greatest_a: float) -> str:
    current_a = supply.standby_current_a or 0.0
    thick = max(THINNEST, THICKEST * current_a / greatest_a)
    top = y + (LANE - thick) / 2
    found = [
        f'<text x="0" y="{y + 13:g}" font-size="10.5" font-weight="600" fill="#15232b">{escape(supply.name[:28])}</text>',
        f'<text x="0" y="{y + 26:g}" font-size="9" fill="#444">{say_amps(current_a)} at rest</text>',
    ]
    must = _x(supply.standby_h, axis_h)
    if supply.holdover is None:
        found.append(f'<text x="{LEFT + 4:g}" y="{y + 20:g}" font-size="9.5" fill="#15232b">no hours can be named</text>')
    else:
        band = supply.holdover
        low, end, high = (_x(h, axis_h) for h in (band.low, band.expected, band.high))
        found.append(f'<rect x="{LEFT:g}" y="{top:g}" width="{max(0.5, low - LEFT):g}" height="{thick:g}" fill="#1d5560"/>')
        found.append(
            f'<rect x="{low:g}" y="{top:g}" width="{max(0.0, end - low):g}" height="{thick:g}" fill="#1d5560" fill-opacity="0.6"/>'
        )
        found.append(
            f'<rect x="{end:g}" y="{top:g}" width="{max(0.0, high - end):g}" height="{thick:g}" fill="#1d5560" fill-opacity="0.2"/>'
        )
        if band.expected < supply.standby_h:
            found.append(
                f'<rect x="{end:g}" y="{top:g}" width="{must - end:g}" height="{thick:g}" fill="url(#missing)" stroke="#a13a2a" stroke-width="0.6"/>'
            )
        words = f"{say_hours(band.expected, must_h=supply.standby_h)} of {say_required_h(supply.standby_h)}"
        beyond = " →" if band.expected > axis_h else ""
        found.append(f'<text x="{LEFT + 4:g}" y="{y - 2:g}" font-size="9" fill="#15232b">{words}{beyond}</text>')
    found.append(f'<line x1="{must:g}" x2="{must:g}" y1="{y - 3:g}" y2="{y + LANE + 3:g}" stroke="#15232b" stroke-width="1.6"/>')
    return "".join(found)
