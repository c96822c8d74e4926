"""Photos: looked at, drawn anew, made small. Nothing of what was sent is kept but its pixels."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass

from PIL import Image, ImageOps, UnidentifiedImageError

from glowdial.core.language.errors import BadInput

LARGEST_BYTES = 12_000_000
LARGEST_PIXELS = 60_000_000
LONGEST_SIDE, THUMBNAIL_SIDE = 2000, 280
FORMATS = ("JPEG", "PNG", "WEBP")
EXAMPLE = "a JPEG of a telephone's camera"


@dataclass(frozen=True, slots=True)
class Photo:
    """A picture and its small one, both JPEG."""

    width: int
    height: int
    image: bytes
    thumbnail: bytes


def drawn_anew(picture: bytes) -> Photo:
    """Decode, turn upright, bring to size and encode again: metadata and whatever else came with
    it is gone.

    Raises BadInput for what is no JPEG, PNG or WebP, or too large.
    """
    if not picture:
        raise BadInput("photo", "nothing", "is empty", EXAMPLE)
    if len(picture) > LARGEST_BYTES:
        raise BadInput("photo", f"{len(picture) / 1e6:.0f} MB", "is over 12 MB", EXAMPLE)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            opened = Image.open(io.BytesIO(picture), formats=FORMATS)
            if opened.width * opened.height > LARGEST_PIXELS:
                raise BadInput(
                    "photo", f"{opened.width} x {opened.height}", "has too many pixels", EXAMPLE
                )
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Warning) as error:
        raise BadInput(
            "photo", "the file", "is no JPEG, PNG or WebP picture that can be read", EXAMPLE
        ) from error
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    small = upright.copy()
    small.thumbnail((THUMBNAIL_SIDE, THUMBNAIL_SIDE))
    return Photo(upright.width, upright.height, _jpeg(upright), _jpeg(small))


def _jpeg(picture: Image.Image) -> bytes:
    page = io.BytesIO()
    picture.save(page, format="JPEG", quality=85)
    return page.getvalue()
