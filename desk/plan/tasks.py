from celery import shared_task

from desk.plan import measures


@shared_task(name="plan.measure_frame")
def measure_frame(shot_pk: int, camera: str) -> None:
    """A small frame, for an estimate of time."""
    measures.measure(shot_pk, camera)
