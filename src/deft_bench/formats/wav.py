"""WAV recordings in: PCM of 8, 16, 24 or 32 bits or float, mono or stereo, as mono samples of full scale ±1."""

import io
import warnings
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray
from scipy.io import wavfile

MOST_BYTES = 24 * 1024 * 1024
LEAST_RATE, MOST_RATE = 8_000, 192_000
ACCEPTED = "a WAV file: PCM of 8, 16, 24 or 32 bits or float, 8 to 192 kHz, mono or stereo"


class WavError(ValueError):
    """The file cannot be read as a recording; the message says what is accepted."""


def read_wav(source: str | Path | bytes) -> tuple[NDArray[np.float64], int]:
    """Samples of the louder channel and their rate in Hz; raises WavError."""
    raw = source if isinstance(source, bytes) else _raw(Path(source))
    if len(raw) > MOST_BYTES:
        raise WavError(f"the recording is larger than {MOST_BYTES // 1024 // 1024} MB: a few seconds are enough")
    if raw[:4] not in (b"RIFF", b"RIFX", b"RF64") or raw[8:12] != b"WAVE":
        raise WavError(f"not a WAV file. Accepted: {ACCEPTED}")
    stream: BinaryIO = io.BytesIO(raw)
    try:
        with warnings.catch_warnings():
            # a chunk that is no sound is passed over, and a cut-off end is what was recorded so far
            warnings.simplefilter("ignore", wavfile.WavFileWarning)
            rate, data = wavfile.read(stream)
    except Exception as error:  # the reader raises whatever a broken file makes it stumble over
        raise WavError(f"the WAV file is broken: {error}. Accepted: {ACCEPTED}") from error
    samples = np.asarray(data)
    if samples.ndim == 2 and samples.shape[1] > 2:
        raise WavError(f"{samples.shape[1]} channels. Accepted: {ACCEPTED}")
    if not LEAST_RATE <= rate <= MOST_RATE:
        raise WavError(f"a sampling rate of {rate} Hz. Accepted: {ACCEPTED}")
    if samples.size == 0:
        raise WavError("the recording is empty")
    return _mono(samples), int(rate)


def _mono(samples: NDArray[Any]) -> NDArray[np.float64]:
    """The louder channel as numbers from −1 to 1; raises WavError."""
    if samples.dtype.kind == "u":
        mono = (samples.astype(np.float64) - 128) / 128
    elif samples.dtype.kind == "i":
        mono = samples.astype(np.float64) / float(2 ** (8 * samples.dtype.itemsize - 1))
    else:
        mono = samples.astype(np.float64)
    if mono.ndim == 2:
        mono = mono[:, int(np.argmax(np.mean(mono**2, axis=0)))]
    if not np.all(np.isfinite(mono)):
        raise WavError("the recording holds samples that are no numbers")
    return mono


def _raw(path: Path) -> bytes:
    try:
        if not path.is_file():
            raise WavError(f"there is no file at {path}")
        if path.stat().st_size > MOST_BYTES:
            raise WavError(f"the recording is larger than {MOST_BYTES // 1024 // 1024} MB: a few seconds are enough")
        return path.read_bytes()
    except OSError as error:
        raise WavError(f"{path} cannot be read: {error.strerror}") from None
