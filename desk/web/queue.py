"""The queue's server as all processes' common memory: places, tries, and whose request is the newest."""

import redis
from django.conf import settings

QUEUE = redis.Redis.from_url(settings.CELERY_BROKER_URL, socket_timeout=1, socket_connect_timeout=1)
