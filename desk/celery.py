"""The job queue. One frame is one task; tasks take ids and may run twice."""

import os

from celery import Celery

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings")

app = Celery("desk")
app.config_from_object("django.conf:settings", namespace="CELERY")
app.autodiscover_tasks()
