"""What an instrument shows of a true value; its noise is a function of seed, instrument and grid step."""

from __future__ import annotations

import hashlib
import math
import struct

from ubrant.bench.standins.scenario import Channel


def shown(true: float, channel: Channel, noise: float) -> float:
    """round((true·(1 + gain) + zero + noise) to the last digit)."""
    value = true * (1 + channel.gain) + channel.zero + channel.noise * noise
    return round(value / channel.digit) * channel.digit if channel.digit else value


def gauss(seed: int, name: str, step: int) -> float:
    """Standard normal number for this seed, instrument and grid step (Box–Muller on a hash)."""
    digest = hashlib.blake2b(f"{seed}/{name}/{step}".encode(), digest_size=16).digest()
    one, two = struct.unpack("<QQ", digest)
    return math.sqrt(-2 * math.log((one + 1) / 2**64)) * math.cos(2 * math.pi * two / 2**64)
