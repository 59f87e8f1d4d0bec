"""Photographs as they come in and as they are kept: made anew, so that nothing but the picture is in them."""

from __future__ import annotations

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

MAX_BYTES = 8 * 1024 * 1024
MAX_SAVED_BYTES = 400_000
MAX_PIXELS = 24_000_000
"""The device makes larger ones smaller before it sends them; this bounds the memory that a small file can ask for."""
_TOO_MANY = f"The photo has more than {MAX_PIXELS // 1_000_000} megapixels: send a smaller one."
_FORMATS = ("JPEG", "PNG", "WEBP")
_SIDES = (1600, 1200, 900, 600)
_QUALITIES = (82, 70, 55, 40)


class PictureError(ValueError):
    """It is no photograph that can be kept; one sentence."""


def saved_jpeg(data: bytes) -> bytes:
    """The photograph as JPEG of at most 400 kB, upright, without metadata. Raises PictureError."""
    if len(data) > MAX_BYTES:
        raise PictureError(f"The photo is larger than {MAX_BYTES // 1024**2} MB: send a smaller one.")
    picture = _opened(data)
    for side in _SIDES:
        picture.thumbnail((side, side))
        for quality in _QUALITIES:
            out = io.BytesIO()
            picture.save(out, "JPEG", quality=quality, optimize=True)
            if out.tell() <= MAX_SAVED_BYTES:
                return out.getvalue()
    raise PictureError("The photo can't be made small enough. Take another one.")


def _opened(data: bytes) -> Image.Image:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(data), formats=_FORMATS)
            # before a single pixel is unpacked
            if picture.width * picture.height > MAX_PIXELS:
                raise PictureError(_TOO_MANY)
            upright = ImageOps.exif_transpose(picture) or picture
            plain = Image.new("RGB", upright.size, "white")
            plain.paste(upright.convert("RGBA"), mask=upright.convert("RGBA").getchannel("A"))
            return plain
    except (Image.DecompressionBombError, Image.DecompressionBombWarning):
        raise PictureError(_TOO_MANY) from None
    except (UnidentifiedImageError, OSError, SyntaxError):
        raise PictureError("This file isn't a photo. Send a JPEG, PNG or WebP file.") from None
