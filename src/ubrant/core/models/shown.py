"""What an instrument shows of a true value; its noise is a function of seed, instrument and grid step."""

from __future__ import annotations

import hashlib
import math
import struct
from dataclasses import dataclass

import numpy as np

from ubrant.core.quantities.accuracy import Accuracy


@dataclass(frozen=True)
class Imperfection:
    """How one quantity of an instrument is off: shown = round((true·(1 + gain) + zero + noise) to ``digit``)."""

    gain: float = 0.0
    zero: float = 0.0
    noise: float = 0.0
    digit: float = 0.0


def drawn_inside(accuracy: Accuracy, rng: np.random.Generator, noise: float, digit: float) -> Imperfection:
    """A channel whose gain and zero errors lie somewhere inside a quoted accuracy, as rectangular as the quote."""
    return Imperfection(float(rng.uniform(-1, 1) * accuracy.gain), float(rng.uniform(-1, 1) * accuracy.zero), noise, digit)


def shown(true: float, channel: Imperfection, noise: float) -> float:
    """round((true·(1 + gain) + zero + noise) to the last digit)."""
    value = true * (1 + channel.gain) + channel.zero + channel.noise * noise
    return round(value / channel.digit) * channel.digit if channel.digit else value


def gauss(seed: int, name: str, step: int) -> float:
    """Standard normal number for this seed, instrument and grid step (Box–Muller on a hash)."""
    digest = hashlib.blake2b(f"{seed}/{name}/{step}".encode(), digest_size=16).digest()
    one, two = struct.unpack("<QQ", digest)
    return math.sqrt(-2 * math.log((one + 1) / 2**64)) * math.cos(2 * math.pi * two / 2**64)
