"""Hand-off, the last station."""

from desk.jobs.models import State
from desk.shots.models import Shot
from desk.stations.registry import Mark, station

_MARKS = {State.DONE: Mark.DONE, State.FAILED: Mark.ATTENTION}


@station("hand-off", "Hand-off", number=6)
def mark(shot: Shot) -> Mark:
    """By the newest delivery."""
    delivery = shot.deliveries.prefetch_related("job__tasks").first()
    return Mark.UNTOUCHED if delivery is None else _MARKS.get(delivery.state, Mark.IN_WORK)
