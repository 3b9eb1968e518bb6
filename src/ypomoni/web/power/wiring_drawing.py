"""The wiring of a bank as a picture, computed from its plan: strings as rows from minus to plus, fuse, isolator and supply above them.

Plus is taken off at the first string and minus at the last. The same plan is drawn twice: wide, and narrow for a phone.
"""

from dataclasses import dataclass

from ypomoni.core.telling.wording import plain_number, say_amps
from ypomoni.core.wiring.plan import Link, PartKind, WiredPart, WiringPlan

WIDE_COUNT, NARROW_COUNT = 4, 2
BLOCK_W, BLOCK_H = 92.0, 52.0
GAP_X, GAP_Y = 50.0, 50.0
FUSE_W, FUSE_H = 40.0, 22.0
LINE_X, RAIL_X = 12.0, 34.0
FIRST_X = 86.0
HEAD_Y, HEAD_H = 40.0, 48.0
ROWS_Y = 128.0
SUPPLY_W = 92.0

Point = tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A block, fuse, isolator or supply of the picture, with what stands in it and its poles: x, y, sign."""

    kind: str
    number: str
    x: float
    y: float
    w: float
    h: float
    lines: tuple[str, ...]
    poles: tuple[tuple[float, float, str], ...] = ()
    is_wrong: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Wire:
    """A link of the picture: its way, its colour, and its label of number, length and section."""

    number: str
    colour: str
    path: str
    x: float
    y: float
    anchor: str
    lines: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawing:
    """The picture: its size, its boxes and wires, and what it shows in one sentence."""

    width: float
    height: float
    # As wide as it is shown where there is room, so that few blocks are not drawn as large as many. [px]
    shown: int
    boxes: tuple[Box, ...]
    wires: tuple[Wire, ...]
    said: str


def draw(plan: WiringPlan, *, in_row: int, block_words: dict[str, tuple[str, ...]], supply_name: str, said: str) -> Drawing:
    """Return the picture of a wiring with at most so many blocks in a row; ``block_words`` is what stands in each block."""
    return _Sketch(plan, in_row, block_words, supply_name).drawing(said)


class _Sketch:
    """Places every part, then leads every link."""

    def __init__(self, plan: WiringPlan, in_row: int, block_words: dict[str, tuple[str, ...]], supply_name: str) -> None:
        self.plan, self.block_words, self.supply_name = plan, block_words, supply_name
        longest = max((len(s) for s in plan.arrangement), default=1)
        # An odd number of rows, so that every string that winds begins at the left and ends at the right.
        rows = next(r for r in range(1, 50, 2) if r * in_row >= longest)
        self.columns = -(-longest // rows)
        self.has_string_fuse = plan.choice.string_fuse_a is not None
        right = FIRST_X + self.columns * BLOCK_W + (self.columns - 1) * GAP_X
        self.fuse_x = right + GAP_X
        self.rail_x = self.fuse_x + (FUSE_W + 46.0 if self.has_string_fuse else 8.0)
        self.rail_x = max(self.rail_x, 374.0)
        self.width = self.rail_x + 16.0
        self.nodes: dict[str, Point] = {}
        self.boxes: list[Box] = []
        self.bottom = ROWS_Y
        self._place()

    def _place(self) -> None:
        y = ROWS_Y
        by_string: dict[int, list[WiredPart]] = {}
        for part in self.plan.blocks:
            by_string.setdefault(part.string, []).append(part)
        fuses = {p.string: p for p in self.plan.parts if p.kind is PartKind.STRING_FUSE}
        for n, string in enumerate(self.plan.arrangement, 1):
            count = len(string)
            rows = next((r for r in range(1, 50, 2) if r * self.columns >= count), 1)
            per_row = max(1, -(-count // rows))
            placed = {p.position: p for p in by_string.get(n, [])}
            for k in range(1, count + 1):
                row, column = divmod(k - 1, per_row)
                backwards = row % 2 == 1
                column = self.columns - 1 - column if backwards else column
                if row == rows - 1 and not backwards:
                    # The last row ends at the right.
                    column = self.columns - (count - row * per_row) + (k - 1 - row * per_row)
                x = FIRST_X + column * (BLOCK_W + GAP_X)
                self._block(placed.get(k), n, k, x, y + row * (BLOCK_H + GAP_Y), backwards=backwards)
            last_y = y + (rows - 1) * (BLOCK_H + GAP_Y)
            if n in fuses:
                self._string_fuse(fuses[n], last_y + BLOCK_H / 2)
            y = last_y + BLOCK_H + GAP_Y
        self.bottom = y - GAP_Y + 22.0
        self._head()

    def _block(self, part: WiredPart | None, n: int, k: int, x: float, y: float, *, backwards: bool) -> None:
        middle = y + BLOCK_H / 2
        low_x, high_x = (x + BLOCK_W, x) if backwards else (x, x + BLOCK_W)
        if part is None:
            self.boxes.append(Box(kind="empty", number=f"{n}.{k}", x=x, y=y, w=BLOCK_W, h=BLOCK_H, lines=("empty",)))
            return
        low, high = ("+", "−") if part.turned else ("−", "+")
        self.nodes[part.pole(low)], self.nodes[part.pole(high)] = (low_x, middle), (high_x, middle)
        inside = 11.0
        poles = (
            (low_x + (-inside if backwards else inside), y + 17, low),
            (high_x + (inside if backwards else -inside), y + 17, high),
        )
        self.boxes.append(
            Box(
                kind="block",
                number=part.number,
                x=x,
                y=y,
                w=BLOCK_W,
                h=BLOCK_H,
                lines=self.block_words.get(part.number, ()),
                poles=poles,
                is_wrong=part.turned,
            )
        )

    def _string_fuse(self, part: WiredPart, middle: float) -> None:
        self.nodes[part.pole("a")], self.nodes[part.pole("b")] = (self.fuse_x, middle), (self.fuse_x + FUSE_W, middle)
        box = Box(
            kind="fuse",
            number=part.number,
            x=self.fuse_x,
            y=middle - FUSE_H / 2,
            w=FUSE_W,
            h=FUSE_H,
            lines=(say_amps(part.rated_a or 0.0),),
        )
        self.boxes.append(box)

    def _head(self) -> None:
        """Place supply, isolator and main fuse in a row above, the supply at the left."""
        middle = HEAD_Y + HEAD_H / 2
        self.nodes["S1+"], self.nodes["S1−"] = (RAIL_X + SUPPLY_W, middle), (RAIL_X, middle)
        poles = ((RAIL_X + 11.0, HEAD_Y + 17, "−"), (RAIL_X + SUPPLY_W - 11.0, HEAD_Y + 17, "+"))
        name = self.supply_name if len(self.supply_name) <= 13 else f"{self.supply_name[:12]}…"
        supply = Box(kind="supply", number="S1", x=RAIL_X, y=HEAD_Y, w=SUPPLY_W, h=HEAD_H, lines=(name, "charger, loads"), poles=poles)
        self.boxes.append(supply)
        chain = [p for p in self.plan.parts if p.kind in (PartKind.FUSE, PartKind.ISOLATOR)]
        # From the right, where the plus comes up: fuse, then isolator.
        at = self.rail_x - 42.0
        for part in chain:
            self.nodes[part.pole("a")], self.nodes[part.pole("b")] = (at, middle), (at - FUSE_W, middle)
            is_fuse = part.kind is PartKind.FUSE
            words = (say_amps(part.rated_a or 0.0),) if is_fuse else ("off",)
            self.boxes.append(
                Box(
                    kind="fuse" if is_fuse else "isolator",
                    number=part.number,
                    x=at - FUSE_W,
                    y=middle - FUSE_H / 2,
                    w=FUSE_W,
                    h=FUSE_H,
                    lines=words,
                )
            )
            at -= FUSE_W + 52.0

    # -- the links ---------------------------------------------------------------------------------------------------------------------

    def drawing(self, said: str) -> Drawing:
        wires = tuple(self._wire(link) for link in self.plan.links)
        return Drawing(
            width=self.width, height=self.bottom, shown=round(1.15 * self.width), boxes=tuple(self.boxes), wires=wires, said=said
        )

    def _wire(self, link: Link) -> Wire:
        a, b = self.nodes[link.from_node], self.nodes[link.to_node]
        points, label = self._way(link, a, b)
        x, y, anchor = label
        section = f"{plain_number(link.section_mm2)} mm²"
        return Wire(
            number=link.number,
            colour=link.colour.value,
            path="M" + "L".join(f"{px:g} {py:g}" for px, py in points),
            x=x,
            y=y,
            anchor=anchor,
            lines=(say_cm(link.length_m), section),
        )

    def _way(self, link: Link, a: Point, b: Point) -> tuple[list[Point], tuple[float, float, str]]:
        """Return the corners of a link and where its label stands: x, y of its number, anchor."""
        if link.role == "minus to the supply":
            return [a, (LINE_X, a[1]), (LINE_X, b[1]), b], (LINE_X + 5, ROWS_Y - 26, "start")
        if a[1] != b[1] and link.role in ("plus to the main fuse", "plus to the supply", "fuse to isolator"):
            return [a, (self.rail_x, a[1]), (self.rail_x, b[1]), b], (self.rail_x - 5, ROWS_Y - 26, "end")
        if link.role in ("plus to plus", "minus to minus"):
            x = self.rail_x if link.role == "plus to plus" else RAIL_X
            inward = -5 if link.role == "plus to plus" else 5
            return [a, (x, a[1]), (x, b[1]), b], (x + inward, 0.5 * (a[1] + b[1]) - 8, "end" if inward < 0 else "start")
        if abs(a[1] - b[1]) < 1e-6:
            return [a, b], (0.5 * (a[0] + b[0]), a[1] - 6, "middle")
        side = max(a[0], b[0]) + 14 if a[0] >= FIRST_X + BLOCK_W - 1e-6 else min(a[0], b[0]) - 14
        inward = -5 if side > FIRST_X + BLOCK_W else 5
        return [a, (side, a[1]), (side, b[1]), b], (side + inward, 0.5 * (a[1] + b[1]) - 8, "end" if inward < 0 else "start")


def say_cm(length_m: float) -> str:
    """Return the length of a lead: centimetres below a metre."""
    return f"{plain_number(length_m * 100)} cm" if length_m < 1 else f"{plain_number(length_m)} m"
