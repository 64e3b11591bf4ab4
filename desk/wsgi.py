"""What gunicorn serves: pages, or with EAGER_PICTURES unset, all of it."""

import gc
import os

from django.core.wsgi import get_wsgi_application
from django.urls import get_resolver

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings")
application = get_wsgi_application()

from desk.jobs import code  # noqa: E402 (needs the settings)
from desk.web.forwarding import Forwarding  # noqa: E402

if os.environ.get("EAGER_PICTURES"):
    application = Forwarding(application, os.environ["EAGER_PICTURES"])
code.announce()
get_resolver().url_patterns  # noqa: B018 (imports all views, before processes fork that share them)
gc.collect()
gc.freeze()
