"""Notes of a stiff string as the tests make them: partials at n·f·√(1 + Bn²), each dying away at its own pace."""

import io
import struct

import numpy as np


def tone(
    hz: float,
    *,
    stiff: float = 1e-4,
    rate: int = 44_100,
    seconds: float = 3.0,
    lead: float = 0.2,
    noise: float = 1e-5,
    seed: int = 0,
    amps: tuple[float, ...] | None = None,
    t60: float = 13.8,
    vibrato: tuple[float, float] = (0.0, 5.0),
) -> np.ndarray:
    """A plucked note whose first partial is at `hz`, after a moment of silence; `t60` is how long that takes to fall by
    60 dB, `vibrato` its cents to either side and how often a second.
    """
    chance = np.random.default_rng(seed)
    t = np.arange(int(seconds * rate)) / rate
    cents, turn_hz = vibrato
    at = np.cumsum(2 ** (cents / 1200 * np.sin(2 * np.pi * turn_hz * t + chance.uniform(0, 6.28)))) / rate
    base = hz / np.sqrt(1 + stiff)
    out = np.zeros_like(t)
    for n in range(1, 22):
        partial = n * base * np.sqrt(1 + stiff * n * n)
        if partial > rate / 2.3:
            break
        loud = 1 / n if amps is None else amps[n - 1] if n <= len(amps) else 0.0
        fall = 6.9 / t60 + 0.1 * n
        out += loud * np.exp(-t * fall) * np.sin(2 * np.pi * partial * at + chance.uniform(0, 6.28))
    out = np.concatenate([np.zeros(int(lead * rate)), 0.5 * out / np.max(np.abs(out))])
    return out + chance.normal(0, noise, len(out))


def wav(samples: np.ndarray, rate: int = 44_100, kind: str = "i16") -> bytes:
    """Samples as a WAV file of one or two channels; kind is u8, i16, i24, i32 or f32."""
    channels = 1 if samples.ndim == 1 else samples.shape[1]
    flat = np.clip(samples.reshape(-1), -1, 1)
    bits = {"u8": 8, "i16": 16, "i24": 24, "i32": 32, "f32": 32}[kind]
    if kind == "u8":
        body = (np.round(flat * 127) + 128).astype(np.uint8).tobytes()
    elif kind == "f32":
        body = flat.astype("<f4").tobytes()
    elif kind == "i24":
        whole = np.round(flat * (2**23 - 1)).astype("<i4")
        body = b"".join(struct.pack("<i", int(v))[:3] for v in whole)
    else:
        body = np.round(flat * (2 ** (bits - 1) - 1)).astype(f"<i{bits // 8}").tobytes()
    out = io.BytesIO()
    code = 3 if kind == "f32" else 1
    step = channels * bits // 8
    out.write(b"RIFF" + struct.pack("<I", 36 + len(body)) + b"WAVEfmt ")
    out.write(struct.pack("<IHHIIHH", 16, code, channels, rate, rate * step, step, bits))
    out.write(b"data" + struct.pack("<I", len(body)) + body)
    return out.getvalue()
