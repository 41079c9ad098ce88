"""Recordings in, as mono samples of full scale ±1: WAV by scipy, FLAC, Ogg and MP3 by libsndfile."""

import io
import warnings
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import soundfile
from numpy.typing import NDArray

MOST_BYTES = 24 * 1024 * 1024
MOST_SECONDS = 600
LEAST_RATE, MOST_RATE = 8_000, 192_000
ACCEPTED = "WAV (PCM of 8, 16, 24 or 32 bits or float), FLAC, Ogg or MP3, 8 to 192 kHz, mono or stereo"


class RecordingError(ValueError):
    """The file cannot be read as a recording; the message says what is accepted."""


def read_recording(source: str | Path | bytes) -> tuple[NDArray[np.float64], int]:
    """Samples of the louder channel and their rate in Hz; raises RecordingError."""
    raw = source if isinstance(source, bytes) else _raw(Path(source))
    if len(raw) > MOST_BYTES:
        raise RecordingError(f"the recording is larger than {MOST_BYTES // 1024 // 1024} MB: a few seconds are enough")
    is_wav = raw[:4] in (b"RIFF", b"RIFX", b"RF64") and raw[8:12] == b"WAVE"
    samples, rate = _wav(raw) if is_wav else _packed(raw)
    if samples.ndim == 2 and samples.shape[1] > 2:
        raise RecordingError(f"{samples.shape[1]} channels. Accepted: {ACCEPTED}")
    if not LEAST_RATE <= rate <= MOST_RATE:
        raise RecordingError(f"a sampling rate of {rate} Hz. Accepted: {ACCEPTED}")
    if samples.size == 0:
        raise RecordingError("the recording is empty")
    return _mono(samples), int(rate)


def _wav(raw: bytes) -> tuple[NDArray[Any], int]:
    from scipy.io import wavfile

    stream: BinaryIO = io.BytesIO(raw)
    try:
        with warnings.catch_warnings():
            # a chunk that is no sound is passed over, and a cut-off end is what was recorded so far
            warnings.simplefilter("ignore", wavfile.WavFileWarning)
            rate, data = wavfile.read(stream)
    except Exception as error:  # the reader raises whatever a broken file makes it stumble over
        raise RecordingError(f"the WAV file is broken: {error}. Accepted: {ACCEPTED}") from error
    return np.asarray(data), int(rate)


def _packed(raw: bytes) -> tuple[NDArray[Any], int]:
    """A recording of another kind, as the library knows it by its first bytes."""
    try:
        with soundfile.SoundFile(io.BytesIO(raw)) as sound:
            if sound.frames > MOST_SECONDS * sound.samplerate:
                raise RecordingError(f"the recording is longer than {MOST_SECONDS} s: a few seconds are enough")
            return sound.read(dtype="float64"), int(sound.samplerate)
    except (soundfile.SoundFileError, RuntimeError) as error:
        raise RecordingError(f"not a recording that can be read. Accepted: {ACCEPTED}") from error


def _mono(samples: NDArray[Any]) -> NDArray[np.float64]:
    """The louder channel as numbers from −1 to 1; raises RecordingError."""
    if samples.dtype.kind == "u":
        mono = (samples.astype(np.float64) - 128) / 128
    elif samples.dtype.kind == "i":
        mono = samples.astype(np.float64) / float(2 ** (8 * samples.dtype.itemsize - 1))
    else:
        mono = samples.astype(np.float64)
    if mono.ndim == 2:
        mono = mono[:, int(np.argmax(np.mean(mono**2, axis=0)))]
    if not np.all(np.isfinite(mono)):
        raise RecordingError("the recording holds samples that are no numbers")
    return mono


def _raw(path: Path) -> bytes:
    try:
        if not path.is_file():
            raise RecordingError(f"there is no file at {path}")
        if path.stat().st_size > MOST_BYTES:
            raise RecordingError(
                f"the recording is larger than {MOST_BYTES // 1024 // 1024} MB: a few seconds are enough"
            )
        return path.read_bytes()
    except OSError as error:
        raise RecordingError(f"{path} cannot be read: {error.strerror}") from None


def wav_of(samples: NDArray[np.float64], rate: int) -> bytes:
    """Mono samples of full scale ±1 as a WAV file of 16 bits."""
    from scipy.io import wavfile

    out = io.BytesIO()
    wavfile.write(out, rate, np.round(np.clip(samples, -1, 1) * 32767).astype(np.int16))
    return out.getvalue()
