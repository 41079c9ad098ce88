"""Photographs on the way in: decoded, turned upright, made smaller, and encoded again without anything but the
picture.
"""

import io
import warnings

from PIL import Image, ImageOps

MOST_BYTES = 20 * 1024 * 1024
MOST_PIXELS = 40_000_000
LONGEST_SIDE = 1600
ACCEPTED = "JPEG, PNG or WebP up to 20 MB"


class PhotographError(ValueError):
    """The upload is not a photograph that can be kept; the message says what is accepted."""


def reencode(raw: bytes) -> tuple[bytes, int, int]:
    """A clean JPEG of the photograph with its width and height in pixels; raises PhotographError.

    Location and every other metadata are dropped: only the decoded picture is written out.
    """
    if len(raw) > MOST_BYTES:
        raise PhotographError(f"That photograph is larger than 20 MB. Accepted: {ACCEPTED}.")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(raw), formats=("JPEG", "PNG", "WEBP")) as picture:
                if picture.width * picture.height > MOST_PIXELS:
                    raise PhotographError("That photograph has more than 40 million pixels.")
                # a palette is made small in whole colours only
                small = picture.convert("RGB") if picture.mode in ("1", "P") else picture
                # made small first: a JPEG is decoded no finer than is kept, and what is turned is little
                small.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
                upright = _upright(small).convert("RGB")
    except PhotographError:
        raise
    except (Exception, Warning) as error:  # decoders raise whatever they come upon
        raise PhotographError(f"That is not a photograph that can be read. Accepted: {ACCEPTED}.") from error
    # a fresh image: nothing that came with the upload (EXIF, profiles, comments) is carried over
    clean = Image.new("RGB", upright.size)
    clean.paste(upright)
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue(), clean.width, clean.height


def _upright(picture: Image.Image) -> Image.Image:
    """Turned as its camera says; as it is where what the camera wrote is damaged."""
    try:
        return ImageOps.exif_transpose(picture)
    except Exception:  # the reader of EXIF raises whatever it comes upon
        return picture
