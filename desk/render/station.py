"""Render, the second station."""

from desk.jobs.models import State
from desk.shots.models import Shot
from desk.stations.registry import Mark, station


@station("render", "Render", number=2)
def mark(shot: Shot) -> Mark:
    """By the newest run; its frames tell."""
    run = shot.runs.first()
    if run is None:
        return Mark.UNTOUCHED
    states = set(run.job.tasks.values_list("state", flat=True))
    if State.FAILED in states:
        return Mark.ATTENTION
    return Mark.IN_WORK if states & {State.QUEUED, State.RUNNING, State.CANCELLED} else Mark.DONE
