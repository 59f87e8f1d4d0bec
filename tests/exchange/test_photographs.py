"""Photographs: made anew, small, upright and without anything but the picture; what is none is refused."""

from __future__ import annotations

import io
import struct
import zlib

import pytest
from PIL import Image

from lowhiss.exchange.photographs import MAX_BYTES, MAX_SAVED_BYTES, PictureError, saved_jpeg


def encoded(picture, kind="JPEG", **how):
    out = io.BytesIO()
    picture.save(out, kind, **how)
    return out.getvalue()


def noise(width, height):
    return Image.effect_noise((width, height), 120).convert("RGB")


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP"])
def test_the_three_kinds_come_out_as_small_jpeg(kind):
    kept = saved_jpeg(encoded(noise(1000, 700), kind))
    assert len(kept) <= MAX_SAVED_BYTES
    with Image.open(io.BytesIO(kept)) as picture:
        assert (picture.format, picture.mode) == ("JPEG", "RGB")
        assert picture.width / picture.height == pytest.approx(10 / 7, abs=0.01)


def test_the_largest_noise_of_a_phone_is_made_small_enough():
    assert len(saved_jpeg(encoded(noise(4000, 3000), quality=60))) <= MAX_SAVED_BYTES


def test_it_is_turned_upright_and_says_nothing_of_where_it_was_taken():
    exif = Image.Exif()
    exif[0x0112] = 6  # EXIF orientation: turned by a quarter (Exif 2.3, from memory)
    exif[0x010E] = "the yard of Marram Valley"
    kept = saved_jpeg(encoded(Image.new("RGB", (300, 200), "red"), exif=exif))
    with Image.open(io.BytesIO(kept)) as picture:
        assert picture.size == (200, 300)
        assert not picture.getexif()
    assert b"Marram" not in kept


def test_what_is_seen_through_becomes_white():
    clear = Image.new("RGBA", (50, 50), (0, 0, 0, 0))
    with Image.open(io.BytesIO(saved_jpeg(encoded(clear, "PNG")))) as picture:
        assert min(picture.getpixel((25, 25))) > 250


def bomb(side):
    """A few bytes that claim to be a picture of so many pixels a side (PNG, ISO/IEC 15948, from memory)."""

    def chunk(kind, data):
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"")) + chunk(b"IEND", b"")


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "isn't a photo"),
        (b"MZ\x90\x00 surely a program", "isn't a photo"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "isn't a photo"),
        (encoded(noise(60, 60))[:400], "isn't a photo"),
        (encoded(noise(60, 60), "GIF"), "isn't a photo"),
        (bomb(50_000), "more than 24 megapixels"),
        (bomb(9_000), "more than 24 megapixels"),
        (b"\xff\xd8" + bytes(MAX_BYTES), "larger than 8 MB"),
    ],
)
def test_what_is_no_photograph_is_refused_in_a_sentence(data, says):
    with pytest.raises(PictureError, match=says):
        saved_jpeg(data)
