"""Working spaces and names of Cryptomattes. Sources: ITU-R BT.709-6, SMPTE ST 2065-1, Academy S-2014-004, SMPTE RP 177;
the Cryptomatte specification, MurmurHash3 (x86, 32 bits)."""

import numpy as np

_ACES_WHITE = (0.32168, 0.33767)
_SPACES = {
    "lin_rec709": ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290)),
    "acescg": ((0.713, 0.293), (0.165, 0.830), (0.128, 0.044), _ACES_WHITE),
    "aces2065_1": ((0.7347, 0.2653), (0.0, 1.0), (0.0001, -0.077), _ACES_WHITE),
}


def to_xyz(space):
    """The matrix from a working space to XYZ under its own white."""
    *corners, white = (np.array([x / y, 1, (1 - x - y) / y]) for x, y in _SPACES[space])
    columns = np.array(corners).T
    return columns * np.linalg.solve(columns, white)


def name_bits(name):
    """The id of a name, as a whole number: its hash, with an exponent that a float can have."""
    bits = _murmur(name.encode())
    return bits ^ (1 << 23) if (bits >> 23) & 255 in (0, 255) else bits


def _murmur(data):
    value, whole = 0, len(data) // 4 * 4
    for at in range(0, whole, 4):
        value ^= _mixed(int.from_bytes(data[at : at + 4], "little"))
        value = (_turned(value, 13) * 5 + 0xE6546B64) & 0xFFFFFFFF
    value ^= _mixed(int.from_bytes(data[whole:], "little")) if len(data) > whole else 0
    value ^= len(data)
    for shift, factor in ((16, 0x85EBCA6B), (13, 0xC2B2AE35), (16, 1)):
        value = ((value ^ (value >> shift)) * factor) & 0xFFFFFFFF
    return value


def _mixed(part):
    return (_turned((part * 0xCC9E2D51) & 0xFFFFFFFF, 15) * 0x1B873593) & 0xFFFFFFFF


def _turned(value, bits):
    return ((value << bits) | (value >> (32 - bits))) & 0xFFFFFFFF
