"""Photographs on the way in: decoded, turned upright, made smaller, and encoded again without anything but the
picture.
"""

import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

MOST_BYTES = 20 * 1024 * 1024
MOST_PIXELS = 60_000_000
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
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(raw), formats=("JPEG", "PNG", "WEBP")) as picture:
                if picture.width * picture.height > MOST_PIXELS:
                    raise PhotographError("That photograph has more than 60 million pixels.")
                picture.load()
                upright = ImageOps.exif_transpose(picture).convert("RGB")
    except PhotographError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError, Warning) as error:
        raise PhotographError(f"That is not a photograph that can be read. Accepted: {ACCEPTED}.") from error
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    # a fresh image: nothing that came with the upload (EXIF, profiles, comments) is carried over
    clean = Image.new("RGB", upright.size)
    clean.paste(upright)
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue(), clean.width, clean.height
