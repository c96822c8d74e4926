"""Photos: looked at, drawn anew, made small. Nothing of what was sent is kept but its pixels."""

from __future__ import annotations

import io
import threading
import warnings
from dataclasses import dataclass

from PIL import Image, ImageOps

from glowdial.core.language.errors import BadInput

LARGEST_BYTES = 12_000_000
LARGEST_PIXELS = 60_000_000
LONGEST_SIDE, THUMBNAIL_SIDE = 2000, 280
FORMATS = ("JPEG", "PNG", "WEBP")
# a large picture takes 200 MB while it is decoded
DECODERS = threading.BoundedSemaphore(2)
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
    with DECODERS:
        upright = _decoded(picture)
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    small = upright.copy()
    small.thumbnail((THUMBNAIL_SIDE, THUMBNAIL_SIDE))
    return Photo(upright.width, upright.height, _jpeg(upright), _jpeg(small))


def _decoded(picture: bytes) -> Image.Image:
    """The pixels alone, upright: sizes are looked at before anything is decoded."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            opened = Image.open(io.BytesIO(picture), formats=FORMATS)
            if opened.width * opened.height > LARGEST_PIXELS:
                raise BadInput(
                    "photo", f"{opened.width} x {opened.height}", "has too many pixels", EXAMPLE
                )
            plain = _upright(opened).convert("RGB")
    except BadInput:
        raise
    except Exception as error:
        # damaged files end the decoders in more ways than they name
        raise BadInput(
            "photo", "the file", "is no JPEG, PNG or WebP picture that can be read", EXAMPLE
        ) from error
    # comments and profiles ride along in here
    plain.info.clear()
    return plain


def _upright(opened: Image.Image) -> Image.Image:
    """Turned as its camera says; as it is where that cannot be read."""
    opened.load()
    try:
        return ImageOps.exif_transpose(opened)
    except Exception:
        return opened


def _jpeg(picture: Image.Image) -> bytes:
    page = io.BytesIO()
    picture.save(page, format="JPEG", quality=85)
    return page.getvalue()
