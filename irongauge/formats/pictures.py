"""Pictures in: JPEG or PNG, decoded and encoded anew, so that neither a place nor what else a camera wrote stays in them."""

from __future__ import annotations

import io
import threading
from dataclasses import dataclass

from irongauge.errors import BadFileError

__all__ = ["MOST_BYTES", "CleanPicture", "clean_picture"]

MOST_BYTES = 10 * 1024 * 1024
# A picture of more is a mistake, or made to fill the memory. A JPEG is decoded at half or less of its size where that is enough.
_MOST_PIXELS = {"JPEG": 50_000_000, "PNG": 25_000_000}
_ONE_AT_A_TIME = threading.Lock()
_LONGEST_EDGE = 2400  # px: enough to read a wire's colour, small enough for a tablet
_FORMATS = {"JPEG": "image/jpeg", "PNG": "image/png"}


@dataclass(frozen=True)
class CleanPicture:
    """A picture encoded anew."""

    content: bytes
    media_type: str
    width: int
    height: int


def clean_picture(name: str, content: bytes) -> CleanPicture:
    """The picture without its metadata, turned as it was held; `BadFileError` for what is none, or is too large."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if len(content) > MOST_BYTES:
        raise BadFileError(
            name, f"It has {len(content) / 1e6:.1f} MB.", "A picture has at most 10 MB: save it smaller."
        )
    try:
        with _ONE_AT_A_TIME, Image.open(io.BytesIO(content), formats=tuple(_FORMATS)) as opened:
            kind = str(opened.format)
            if opened.width * opened.height > _MOST_PIXELS[kind]:
                raise BadFileError(name, f"It has {opened.width} × {opened.height} pixels.", "Save it smaller.")
            opened.thumbnail((_LONGEST_EDGE, _LONGEST_EDGE))
            picture = ImageOps.exif_transpose(opened).convert("RGB" if kind == "JPEG" else "RGBA")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise BadFileError(name, "It is no JPEG or PNG that can be read.", "Take or save the picture again.") from error
    out = io.BytesIO()
    picture.save(out, kind, **({"quality": 85} if kind == "JPEG" else {"optimize": True}))
    return CleanPicture(out.getvalue(), _FORMATS[kind], picture.width, picture.height)
