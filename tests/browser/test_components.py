"""Every component of the interface against a picture of it, light and dark.

After a change that is meant: `PICTURES=new pytest tests/browser/test_components.py`, and look at what it wrote.
"""

import io
import os
from pathlib import Path

import pytest
from browser.pages import violations
from PIL import Image, ImageChops

pytestmark = pytest.mark.browser
PICTURES = Path(__file__).parent.parent / "reference"
# A letter's edge may be drawn a shade otherwise; a pixel counts from here on, and so many of a thousand may.
SHADE, FEW_OF_1000 = 48, 3


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_every_component_looks_as_it_did(open_page, scheme):
    """Beyond a tolerance nothing moved or changed its colour, and Axe finds nothing."""
    page = open_page({"width": 1000, "height": 800}, scheme)
    # A font that comes late on a busy machine is left out of a first view; in the second it is at hand.
    for _ in range(2):
        page.goto("/developers/components")
        page.wait_for_load_state("networkidle")
        page.evaluate("document.fonts.ready")
    assert violations(page) == []
    shot = Image.open(io.BytesIO(page.screenshot(full_page=True, animations="disabled"))).convert("RGB")
    kept = PICTURES / f"components-{scheme}.png"
    if os.environ.get("PICTURES") == "new":
        shot.quantize(64).save(kept, optimize=True)
    before = Image.open(kept).convert("RGB")
    assert shot.size == before.size
    differing = ImageChops.difference(shot, before).convert("L").point(lambda shade: 255 if shade > SHADE else 0)
    changed_count = differing.histogram()[255]
    assert changed_count * 1000 <= FEW_OF_1000 * shot.width * shot.height, f"{changed_count} pixels, within {differing.getbbox()}"
