"""How much a search may try: counted, never timed, so that the answer is the same on a busy machine and a quiet one."""

from __future__ import annotations

from dataclasses import dataclass, field

from prism.limits import current

MOST_TRIALS = 1500  # of a search that somebody waits for: every kind by itself in 20 rows, and the likeliest of pairs
THOROUGH = 20_000  # of one that was asked to go on
FRAMES_NEAR = 2  # frames before and after that are looked at
FRAMES_THOROUGH = 10


@dataclass(slots=True)
class Work:
    """What was tried, and what was left out, in words."""

    most: int = MOST_TRIALS
    thorough: bool = False
    trials: int = 0
    left: dict[str, None] = field(default_factory=dict)

    @classmethod
    def asked(cls, *, thorough: bool) -> Work:
        """A search, or one that goes on where that stops."""
        return cls(THOROUGH if thorough else MOST_TRIALS, thorough)

    def may(self, what: str, cost: int = 1) -> bool:
        """Whether there is work left for a trial; if not, it is remembered what was left out. Raises TooCostly or
        Superseded as `Limit.require`: a search that was ended has no answer."""
        current().require()
        if self.trials + cost > self.most:
            self.leave(what)
            return False
        self.trials += cost
        return True

    def leave(self, what: str) -> None:
        """Remember something that was not tried."""
        self.left[what] = None

    @property
    def frames(self) -> int:
        """How many frames to either side are looked at."""
        return FRAMES_THOROUGH if self.thorough else FRAMES_NEAR
