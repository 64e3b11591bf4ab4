"""The web application: thin over `prism`, which does all computation."""

from desk.celery import app as celery_app

__all__ = ["celery_app"]
