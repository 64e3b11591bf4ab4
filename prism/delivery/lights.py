"""Light after light: a ledger as it is while its light groups come up one by one."""

from __future__ import annotations

from prism.errors import BadArgument
from prism.keyed import at
from prism.ledger.dimmers import dimmers
from prism.ledger.document import Ledger
from prism.sources.pixels import Frame


def lights_up(ledger: Ledger, sources: Frame, share: float) -> Ledger:
    """A ledger in which the lights before a share 0..1 of the time are on, the next one is coming up, and the others
    are off. Each has as long as the others. Raises BadArgument for a ledger that is not made by lights."""
    lights = dimmers(ledger, sources)
    if not lights:
        raise BadArgument(
            "This ledger has no light groups to bring up.", where="show", advice="Rebuild it by lights, or choose "
            "another movie.",
        )  # fmt: skip
    for place, light in enumerate(lights):
        level = min(1.0, max(0.0, share * len(lights) - place))
        for name in light.rows if level < 1 else ():
            row = ledger.row(name)
            ledger = ledger.with_setting(row.id, "amount", at(row.amount, sources.number) * level)
    return ledger
