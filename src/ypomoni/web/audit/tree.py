"""The current tree of one supply as coordinates: ribbons as wide as their current, from the battery to each device. In pixels."""

import math
from dataclasses import dataclass, field

from ypomoni.actions.audit import AuditResult
from ypomoni.core.measuring.next_reading import Suggestion
from ypomoni.core.measuring.reconciliation import NodeState
from ypomoni.core.telling.results import Band
from ypomoni.core.telling.wording import plain_number, say_amps, say_hours, say_percent
from ypomoni.core.things.readings import MeasuringPoint, PointKind, State
from ypomoni.records.words import POINT_WORDS, STATE_WORDS

WIDTH = 1080.0
# About how wide a character of a label is, for the ground behind it.
CHARACTER = 6.7
COLUMNS = {PointKind.BATTERY: 0.0, PointKind.OUTPUT: 235.0, PointKind.BRANCH: 480.0, PointKind.DEVICE: 760.0}
BAR = 9.0
ROW = 40.0
GREATEST_PX = 90.0
LEAST_PX = 2.0
MOST_LEAVES = 60
LONGEST = {PointKind.BATTERY: 26, PointKind.OUTPUT: 28, PointKind.BRANCH: 30, PointKind.DEVICE: 42}


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeNode:
    """One point: its bar, its ribbon from the point before it, its words, and how sure it is."""

    key: str
    name: str
    kind: str
    depth: int
    x: float
    y: float
    height: float
    label_y: float
    label: str
    figures: str
    ground_width: float
    ribbon: str
    thin: bool
    status: str
    status_word: str
    register: str
    read: str
    residual: str
    residual_height: float
    own_share_percent: float
    sentence: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TreeView:
    """The tree of a supply in one state, and the other supplies to choose from."""

    supply: str
    supply_name: str
    state: str
    state_word: str
    nodes: tuple[TreeNode, ...]
    width: float
    height: float
    scale_px: float
    scale_text: str
    hidden: int
    supplies: tuple[tuple[str, str, str, str], ...]
    unpointed: int
    measured: int
    total: int
    findings: tuple[str, ...] = field(default=())


@dataclass(frozen=True, slots=True, kw_only=True)
class NextView:
    """The next reading: what to read, and what it does to the band; or what stands in its way."""

    text: str
    point: str
    state: str
    gain: str


def build_next(audit: AuditResult, supply_key: str, found: tuple[Suggestion, ...]) -> NextView | None:
    """Return the next reading in words, or None where none would tell anything."""
    if not found:
        return None
    best = found[0]
    point = next(p for p in audit.plan.points if p.key == best.point_key)
    name = next(s.name for s in audit.plan.supplies if s.key == supply_key)
    state = "" if best.state is State.STANDBY else f" in {best.state.value}"
    before, after = band_words(best.before), band_words(best.after)
    share = say_percent(1.0 - _width(best.after) / max(_width(best.before), 1e-9))
    gain = f"the band of {name} goes from {before} to about {after}" if before != after else f"the band of {name} narrows by {share}"
    return NextView(text=f"Read {point.name}{state}", point=point.key, state=best.state.value, gain=gain)


def band_words(band: Band) -> str:
    """Return a band in words, its unit once where both ends have the same."""
    low, high = say_hours(band.low), say_hours(band.high)
    number, _, unit = low.partition(" ")
    return f"{number}–{high}" if high.endswith(f" {unit}") else f"{low} to {high}"


def _width(band: Band) -> float:
    return math.log(max(band.high, 1e-6) / max(band.low, 1e-6))


def build_tree(audit: AuditResult, supply_key: str, state: State) -> TreeView:
    """Return the tree of a supply."""
    plan = audit.plan
    supply = next(s for s in plan.supplies if s.key == supply_key)
    points = [p for p in plan.points if p.supply_key == supply_key]
    core = audit.tree(supply_key)
    nodes = {p.key: audit.nodes.get((p.key, state)) or core.node(p, state) for p in points}
    greatest_a = max([abs(_drawn_a(n)) for n in nodes.values()] or [0.0])
    px_per_a = GREATEST_PX / greatest_a if greatest_a > 0 else 0.0
    layout = _Layout(list(core.in_order()), nodes, px_per_a)
    pointed = {p.load_key for p in points if p.load_key}
    step_a = _nice(greatest_a / 2) if greatest_a > 0 else 0.0
    loads = plan.loads_on(supply_key)
    return TreeView(
        supply=supply_key,
        supply_name=supply.name,
        state=state.value,
        state_word=STATE_WORDS[state.value],
        nodes=tuple(layout.placed()),
        width=WIDTH,
        height=max(ROW, layout.height + 24.0),
        scale_px=round(step_a * px_per_a, 1),
        scale_text=say_amps(step_a) if step_a else "",
        hidden=layout.hidden,
        supplies=tuple((s.key, s.name, *_standing(audit, s.key)) for s in plan.supplies),
        unpointed=sum(load.key not in pointed for load in loads),
        measured=sum(n.read_a is not None for n in nodes.values()),
        total=len(nodes),
    )


def _standing(audit: AuditResult, supply_key: str) -> tuple[str, str]:
    """Return how a supply's readings stand: a status and its word."""
    agreed = [n.agrees for n in audit.nodes.values() if n.supply_key == supply_key and n.agrees is not None]
    if not agreed:
        return "open", "not read"
    return ("agrees", "adds up") if all(agreed) else ("differs", "does not add up")


def _nice(value: float) -> float:
    """Return 1, 2 or 5 times a power of ten, at most a value."""
    size = 10.0 ** (len(str(int(1 / value))) * -1) if value < 1 else 10.0 ** (len(str(int(value))) - 1)
    return next((m * size for m in (50, 20, 10, 5, 2, 1) if m * size <= value * 1.0001), size)


class _Layout:
    """Where each point stands: a leaf has a row, a parent stands in the middle of its children, ribbons lie side by side on its bar."""

    def __init__(self, order: list[MeasuringPoint], nodes: dict[str, NodeState], px_per_a: float) -> None:
        self.nodes, self.px_per_a = nodes, px_per_a
        known = {p.key for p in order}
        leaves = [p for p in order if p.kind is PointKind.DEVICE]
        kept = {p.key for p in sorted(leaves, key=lambda p: -abs(_drawn_a(nodes[p.key])))[:MOST_LEAVES]}
        self.hidden = len(leaves) - len(kept)
        self.order = [p for p in order if p.kind is not PointKind.DEVICE or p.key in kept]
        self.children: dict[str | None, list[MeasuringPoint]] = {}
        for point in self.order:
            self.children.setdefault(point.parent_key if point.parent_key in known else None, []).append(point)
        self.height = 0.0
        self.middle: dict[str, float] = {}
        self.depth: dict[str, int] = {}
        for root in self.children.get(None, []):
            self._place(root, 0)

    def _px(self, key: str) -> float:
        return max(LEAST_PX, abs(_drawn_a(self.nodes[key])) * self.px_per_a)

    def _place(self, point: MeasuringPoint, depth: int) -> float:
        self.depth[point.key] = depth
        children = self.children.get(point.key, [])
        if not children:
            row = max(ROW, self._px(point.key) + 10.0)
            self.middle[point.key] = self.height + row / 2
            self.height += row
        else:
            middles = [self._place(child, depth + 1) for child in children]
            self.middle[point.key] = (middles[0] + middles[-1]) / 2
        return self.middle[point.key]

    def placed(self) -> list[TreeNode]:
        """Return the nodes with their ribbons."""
        starts: dict[str, float] = {}
        for key, children in self.children.items():
            if key is not None:
                starts[key] = self.middle[key] - sum(self._px(c.key) for c in children) / 2
        found: list[TreeNode] = []
        for point in self.order:
            node = self.nodes[point.key]
            x, px = COLUMNS[point.kind], self._px(point.key)
            y = self.middle[point.key] - px / 2
            ribbon = ""
            parent = next((p for p in self.order if p.key == point.parent_key), None)
            if parent is not None:
                begin = starts[parent.key]
                starts[parent.key] += px
                ribbon = _ribbon(COLUMNS[parent.kind] + BAR, begin, x, y, px)
            found.append(self._node(point, node, x, y, px, ribbon))
        return found

    def _node(self, point: MeasuringPoint, node: NodeState, x: float, y: float, px: float, ribbon: str) -> TreeNode:
        status, word = _status(node)
        residual = ""
        if node.residual_a is not None and node.combined_a:
            times = abs(node.residual_a) / node.combined_a
            side = "+" if node.residual_a >= 0 else "−"
            residual = f"{side}{say_amps(abs(node.residual_a), 2)}, {plain_number(times, 2)} × what can be uncertainty"
        if _is_slip(node):
            residual = "about a thousand times off: another unit?"
        register, read = say_amps(node.register_a), "not measured" if node.read_a is None else say_amps(node.read_a)
        label = point.name if len(point.name) <= LONGEST[point.kind] else point.name[: LONGEST[point.kind] - 1] + "…"
        figures = f"{register} by register" if node.read_a is None else f"{read} read, {register} by register"
        below = node.reading_key is None and abs(node.sum_a - node.register_a) > 1e-9
        if below:
            read = f"not measured; {say_amps(node.sum_a)} by what is behind it"
        return TreeNode(
            key=point.key,
            name=point.name,
            kind=POINT_WORDS[point.kind.value],
            depth=self.depth[point.key],
            x=x,
            y=round(y, 2),
            height=round(px, 2),
            label_y=round(self.middle[point.key], 2),
            label=label,
            figures=figures,
            ground_width=0.0 if point.kind is PointKind.DEVICE else round(max(len(label) + 2, len(figures) * 0.92) * CHARACTER + 10, 1),
            ribbon=ribbon,
            thin=abs(_drawn_a(node)) * self.px_per_a < LEAST_PX,
            status=status,
            status_word=word,
            register=register,
            read=read,
            residual=residual if status == "differs" else "",
            residual_height=round(min(px, max(2.0, abs(node.residual_a or 0.0) * self.px_per_a)), 2) if status == "differs" else 0.0,
            own_share_percent=round(min(100.0, 100.0 * px / GREATEST_PX), 1),
            sentence=f"{point.name}: register {register}, {'read ' + read if node.read_a is not None else read}. {word}.",
        )


def _is_slip(node: NodeState) -> bool:
    return bool(node.causes) and node.causes[0].kind == "unit"


def _drawn_a(node: NodeState) -> float:
    """Return how wide a point is drawn: as it is best known, but not by a reading in another unit, beside which nothing else is seen."""
    return node.sum_a if _is_slip(node) else node.best_a


def _status(node: NodeState) -> tuple[str, str]:
    if node.read_a is None:
        return "open", "Not measured"
    return ("agrees", "Adds up") if node.agrees else ("differs", "Does not add up")


def _ribbon(x0: float, y0: float, x1: float, y1: float, px: float) -> str:
    """Return a band of one width from a bar to the next, as a path."""
    m = (x0 + x1) / 2
    return (
        f"M{x0:.1f} {y0:.1f}C{m:.1f} {y0:.1f} {m:.1f} {y1:.1f} {x1:.1f} {y1:.1f}"
        f"V{y1 + px:.1f}C{m:.1f} {y1 + px:.1f} {m:.1f} {y0 + px:.1f} {x0:.1f} {y0 + px:.1f}Z"
    )
