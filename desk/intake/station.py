"""Intake, the third station."""

from desk.shots.models import Shot
from desk.stations.registry import Mark, station
from prism.judging.finding import ERROR


@station("intake", "Intake", number=3)
def mark(shot: Shot) -> Mark:
    """Done only when all frames of all elements were read and nothing serious is open."""
    elements = shot.elements.exclude(document={}).prefetch_related("acceptances").select_related("judgement")
    judged = [(element, getattr(element, "judgement", None)) for element in elements]
    if not judged:
        return Mark.UNTOUCHED
    for element, judgement in judged:
        accepted = {acceptance.mark for acceptance in element.acceptances.all()}
        serious = (f for f in (judgement.findings if judgement else ()) if f["severity"] == ERROR)
        if any(finding["mark"] not in accepted for finding in serious):
            return Mark.ATTENTION
    complete = all(judgement and judgement.checked == judgement.whole > 0 for _, judgement in judged)
    return Mark.DONE if complete else Mark.IN_WORK
