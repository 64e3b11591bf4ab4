"""Which of the ways to begin a ledger is taken when nobody chose: the first that lands on the beauty."""

from __future__ import annotations

from prism.balance.balance import balance
from prism.errors import PrismError
from prism.ledger.bases import ASKED
from prism.ledger.document import Ledger
from prism.ledger.first import first_ledger, starts_of
from prism.sources.pixels import Frame


def best_ledger(sources: Frame, *, name: str = "first") -> Ledger:
    """From denoised passes where those sum; of several ways the first that balances, else the first there is. Raw light
    is only taken when asked for: it is exact only where a renderer writes it so.

    Raises NoBeauty or NoComponents.
    """
    starts = [start for start in starts_of(sources) if start.by not in ASKED]
    starts.sort(key=lambda start: not start.denoised)
    if len(starts) < 2:
        return first_ledger(sources, denoised=any(start.denoised for start in starts), name=name)
    made = [first_ledger(sources, by=start.by, denoised=start.denoised, name=name) for start in starts]
    return next((ledger for ledger in made if lands(ledger, sources)), made[0])


def lands(ledger: Ledger, sources: Frame) -> bool:
    """Whether a ledger balances; one that asks for what is not there does not."""
    try:
        return balance(ledger, sources, causes=0).balanced
    except PrismError:
        return False
