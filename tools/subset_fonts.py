"""Cut the interface's fonts to the letters and signs it may show: Latin, Greek, punctuation, arrows, mathematics, shapes.

Run once for each new release of the family, with its three files: `uv run --with fonttools --with brotli python tools/subset_fonts.py FOLDER`.
Its licence reserves its name, so what is cut carries another.
"""

import sys
from importlib import import_module
from pathlib import Path
from typing import Any

# Not of the environment: this is run once for a release.
subset: Any = import_module("fontTools.subset")
ttlib: Any = import_module("fontTools.ttLib")
FOLDER = Path(__file__).parent.parent / "src" / "ypomoni" / "web" / "static" / "vendor" / "plex"
RANGES = ((0x20, 0x24F), (0x370, 0x3FF), (0x2000, 0x206F), (0x20A0, 0x20BF), (0x2100, 0x218F), (0x2190, 0x22FF), (0x25A0, 0x27BF))
WEIGHTS = ("Regular", "Medium", "SemiBold")
NAME = "Ypomoni Sans"


def cut(source: Path, weight: str) -> None:
    """Write one weight."""
    font = ttlib.TTFont(source)
    options = subset.Options(
        layout_features=["kern", "tnum", "lnum", "liga", "mark", "mkmk", "ccmp", "locl"], flavor="woff2", notdef_outline=True
    )
    subsetter = subset.Subsetter(options)
    subsetter.populate(unicodes=[code for first, last in RANGES for code in range(first, last + 1)])
    subsetter.subset(font)
    for record in font["name"].names:
        if record.nameID in (1, 3, 4, 6, 16):
            record.string = f"{NAME} {weight}".replace(" ", "-" if record.nameID == 6 else " ")
    font.flavor = "woff2"
    font.save(FOLDER / f"ypomoni-sans-{weight.casefold()}.woff2")


if __name__ == "__main__":
    for name in WEIGHTS:
        cut(Path(sys.argv[1]) / f"IBMPlexSans-{name}.woff2", name)
