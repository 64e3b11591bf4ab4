"""Time codes: frame numbers as hours, minutes, seconds and frames, as SMPTE ST 12-1 counts them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

_NTSC = {
    Fraction(str(rate)): Fraction(round(rate) * 1000, 1001) for rate in (23.976, 23.98, 29.97, 47.952, 59.94, 119.88)
}


@dataclass(frozen=True, slots=True)
class TimeCode:
    """drop: whether numbers are left out so that it keeps up with the clock, as at 29.97 frames a second."""

    hours: int
    minutes: int
    seconds: int
    frames: int
    drop: bool = False

    def __str__(self) -> str:
        mark = ";" if self.drop else ":"
        return f"{self.hours:02}:{self.minutes:02}:{self.seconds:02}{mark}{self.frames:02}"


def rate_of(rate: float) -> Fraction:
    """The exact rate behind one that is written with few digits: 23.976 is 24000/1001."""
    written = Fraction(str(round(rate, 3)))
    return _NTSC.get(written, written)


def time_code(frame: int, rate: float) -> TimeCode:
    """The time code of a frame number, counted from 0 at 00:00:00:00; negative frames count as 0, days start over.

    Rates that are no whole number count as the next whole one; 29.97 and 59.94 drop numbers (two or four at the start
    of every minute that is no tenth).
    """
    exact = rate_of(rate)
    base = -(-exact.numerator // exact.denominator)
    drop = exact.denominator == 1001 and base % 30 == 0
    count = max(0, frame)
    if drop:
        dropped = base // 15
        per_minute, per_ten = base * 60 - dropped, base * 600 - 9 * dropped
        tens, rest = divmod(count, per_ten)
        count += 9 * dropped * tens + (dropped * ((rest - dropped) // per_minute) if rest > dropped else 0)
    seconds, frames = divmod(count, base)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return TimeCode(hours % 24, minutes, seconds, frames, drop)
