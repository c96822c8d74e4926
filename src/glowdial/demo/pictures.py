"""Made-up photos for the demo: a chassis from below, drawn, as a photo's stand-in."""

from __future__ import annotations

import io

from PIL import Image, ImageDraw

CHASSIS, METAL, WAX, COPPER = (96, 92, 84), (150, 146, 136), (196, 168, 96), (150, 84, 46)


def underside() -> bytes:
    """A JPEG of an underside: sockets, waxed capacitors, and one part that does not belong."""
    picture = Image.new("RGB", (960, 640), CHASSIS)
    draw = ImageDraw.Draw(picture)
    draw.rectangle((24, 24, 936, 616), outline=METAL, width=8)
    for n, x in enumerate((140, 300, 460, 620, 800)):
        y = 150 if n % 2 else 190
        draw.ellipse((x - 46, y - 46, x + 46, y + 46), outline=METAL, width=10)
        draw.ellipse((x - 10, y - 10, x + 10, y + 10), fill=(40, 38, 34))
    for n, (x, y) in enumerate(((110, 330), (250, 420), (400, 350), (540, 450), (690, 360))):
        draw.rounded_rectangle((x, y, x + 120, y + 34), radius=14, fill=WAX)
        draw.line((x - 40, y + 17, x, y + 17), fill=COPPER, width=4)
        draw.line((x + 120, y + 17, x + 160, y + 17), fill=COPPER, width=4)
        if n == 3:
            draw.rounded_rectangle((x + 10, y + 60, x + 80, y + 84), radius=6, fill=(40, 90, 150))
            draw.line((x + 45, y + 34, x + 45, y + 60), fill=COPPER, width=4)
    page = io.BytesIO()
    picture.save(page, format="JPEG", quality=80)
    return page.getvalue()
