from celery import shared_task

from desk.handoff import services


@shared_task(name="handoff.write_frame")
def write_frame(frame_pk: int) -> None:
    """One frame of a delivery."""
    services.write(frame_pk)
