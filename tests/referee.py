"""The referee: the battery model stepped by Euler once a second, split at events. Slow, plain, and shares no code with the product."""

import bisect
import math


def demand(loads, own_a, t_s, in_alarm):
    """Return the (A, W, S) that loads ask for at an instant; bursts start at offset + n·period after mains failure."""
    i, p, g = own_a, 0.0, 0.0
    for load in loads:
        for piece in range(load["quantity"]):
            rest = load["alarm_a"] if in_alarm else load["standby_a"]
            active = []
            for b in load["bursts"]:
                period = 3600.0 / b["per_hour"]
                since = t_s - b["offset_s"] - piece * period / load["quantity"] + 1e-6
                if since >= 0 and since % period < b["duration_s"]:
                    active.append(max(b["current_a"], load["alarm_a"]) if in_alarm else b["current_a"])
            now = max(active) if active else rest
            if load["behaviour"] == "constant_current":
                i += now
            elif load["behaviour"] == "constant_power":
                p += now * load["rail_v"]
            else:
                g += now / load["rail_v"]
    return i, p, g


def next_event(loads, t_s):
    """Return the next start or end of any burst after t."""
    best = math.inf
    for load in loads:
        for piece in range(load["quantity"]):
            for b in load["bursts"]:
                period = 3600.0 / b["per_hour"]
                first = b["offset_s"] + piece * period / load["quantity"]
                n = max(0, math.floor((t_s - first) / period))
                for m in (n, n + 1):
                    for edge in (first + m * period, first + m * period + b["duration_s"]):
                        if t_s + 1e-6 < edge < best:
                            best = edge
    return best


def voltage(pack, u, d, i, p, g, before=None):
    """Return (current, voltage), or (0, −1) at collapse or when the charge is gone; ``before`` is what the same draw took a moment earlier."""
    h = 1 - (u + d) / pack["q"]
    if h <= 0:
        return 0.0, -1.0
    knots = pack["ocv"]
    e, n = knots[-1][1], bisect.bisect_left(knots, (h,))
    if n < len(knots):
        (h0, v0), (h1, v1) = knots[n - 1], knots[n]
        e = v0 + (v1 - v0) * (h - h0) / (h1 - h0)
    growth = 1 + pack["g"] * (1 - h) / h
    r = pack["rb"] * growth
    if not p and not g:
        x = i * growth / pack["i0"]
        return i, e - pack["b"] * math.log(x + math.sqrt(x * x + 1)) - r * i
    current = before or i + p / e + g * e
    # V = e − r·(i + p/V + g·V) with e less the activation loss, which depends on the current again: repeated until it stands still.
    for _ in range(12):
        x = current * growth / pack["i0"]
        a, b = 1 + r * g, e - pack["b"] * math.log(x + math.sqrt(x * x + 1)) - r * i
        root = b * b - 4 * a * r * p
        if root < 0 or b < 0:
            return 0.0, -1.0
        v, tried = (b + math.sqrt(root)) / (2 * a), current
        current = i + p / v + g * v
        if abs(current - tried) < 1e-9:
            break
    return current, v


def plain(pack):
    """Return a pack of the product as the numbers the referee steps."""
    heads = pack.curve.heads[:-1]
    return {
        "q": pack.capacity_ah,
        "rb": pack.resistance_ohm,
        "g": pack.g,
        "b": pack.activation_v,
        "i0": pack.exchange_a,
        "k": pack.k_per_h,
        "r1": pack.r1_h,
        "lost": pack.self_a,
        "ocv": [(h, pack.open_circuit_v(h)) for h in heads],
    }


def run(pack, loads, own_a, threshold_v, alarm_at_s, alarm_s, limit_s=4_000_000, states=None, start=(0.0, 0.0, 0.0)):
    """Return (end time in s, or None when the alarm is carried to its end).

    ``threshold_v`` may be a function of (time in s, in alarm), and ``pack`` one of the time in s, for a temperature that moves.
    """
    # Asked once a second: what does not move is not called.
    pack_at, ends_at = pack if callable(pack) else None, threshold_v if callable(threshold_v) else None
    t, u, d = start
    until = alarm_at_s + alarm_s
    over_s = min(until, limit_s)
    event = next_event(loads, t)
    asked, current = demand(loads, own_a, t, t >= alarm_at_s), None

    def ends(t, just_before, in_alarm):
        v = voltage(pack_at(t) if pack_at else pack, u, d, *asked)[1]
        return v < (ends_at(just_before, in_alarm) if ends_at else threshold_v)

    while t < over_s:
        now = pack_at(t) if pack_at else pack
        current, v = voltage(now, u, d, *asked, current)
        if v < (ends_at(t, t >= alarm_at_s) if ends_at else threshold_v):
            return t
        stop = min(t + 1.0, event, until, alarm_at_s if t < alarm_at_s else math.inf)
        dt = (stop - t) / 3600.0
        if states is not None:
            states.append((t, u, d))
        u, d = u + (current + now.get("lost", 0.0)) * dt, d + now["k"] * (current * now["r1"] - d) * dt
        t = stop
        if t >= event or t == alarm_at_s:
            if ends(t, t - 1e-3, t > alarm_at_s):
                return t
            event = next_event(loads, t)
            asked, current = demand(loads, own_a, t, t >= alarm_at_s), None
    return t if ends(t, t - 1e-3, True) else None
