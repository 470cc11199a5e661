"""Pictures are encoded anew: no place and no camera stays in them, and what is none is refused."""

from __future__ import annotations

import io
import subprocess
import sys

import pytest
from PIL import Image

from irongauge.errors import BadFileError
from irongauge.formats.pictures import MOST_BYTES, clean_picture


def taken(kind="JPEG", size=(60, 40), **more):
    out = io.BytesIO()
    Image.new("RGB", size, (180, 40, 40)).save(out, kind, **more)
    return out.getvalue()


def with_place():
    """A JPEG that says where it was taken (EXIF: a GPS block), by whom, and that it was held upright."""
    exif = Image.Exif()
    exif[0x010F] = "Camera maker"
    exif[0x0112] = 6  # turned by a quarter
    exif.get_ifd(0x8825)[1] = "N"
    exif.get_ifd(0x8825)[2] = (54.0, 21.0, 7.0)
    return taken(exif=exif)


def test_what_a_camera_wrote_is_gone_and_the_picture_stands_upright():
    content = with_place()
    assert b"Camera maker" in content
    clean = clean_picture("wall.jpg", content)
    assert (clean.media_type, clean.width, clean.height) == ("image/jpeg", 40, 60)
    with Image.open(io.BytesIO(clean.content)) as picture:
        assert not picture.getexif()
    assert b"Camera maker" not in clean.content


def test_a_png_stays_one_and_a_large_picture_is_made_smaller():
    assert clean_picture("face.png", taken("PNG")).media_type == "image/png"
    clean = clean_picture("wide.png", taken("PNG", (4800, 1200)))
    assert (clean.width, clean.height) == (2400, 600)


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"no picture", "no JPEG or PNG"),
        (b"", "no JPEG or PNG"),
        (taken()[:200], "no JPEG or PNG"),
        (taken("GIF"), "no JPEG or PNG"),
        (b"\0" * (MOST_BYTES + 1), "at most 10 MB"),
        (taken("PNG", (9000, 6000)), "9000 × 6000 pixels"),
    ],
    ids=["text", "nothing", "broken off", "another kind", "too heavy", "too many pixels"],
)
def test_what_is_no_picture_is_refused(content, says):
    with pytest.raises(BadFileError, match=says):
        clean_picture("file.jpg", content)


_MAKE = "import sys\nfrom tests.formats.test_pictures import taken\nsys.stdout.buffer.write(taken({!r}, {!r}))"
_TAKE = """import resource, sys
from PIL import Image, ImageOps
from irongauge.formats.pictures import clean_picture
small = sys.stdin.buffer.read()
before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
clean_picture("x", small)
print((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) // 1024)
"""


@pytest.mark.parametrize(("kind", "size", "most_mb"), [("JPEG", (8000, 6000), 250), ("PNG", (5000, 5000), 250)])
def test_a_small_file_takes_no_great_memory(kind, size, most_mb):
    """Each in a process of its own: only what taking it in adds counts."""
    make, take = ([sys.executable, "-c", code] for code in (_MAKE.format(kind, size), _TAKE))
    small = subprocess.run(make, capture_output=True, check=True).stdout
    told = subprocess.run(take, input=small, capture_output=True, check=True).stdout
    assert int(told) < most_mb
