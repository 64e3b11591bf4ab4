"""What gunicorn serves."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "desk.settings")
application = get_wsgi_application()

from desk.jobs import code  # noqa: E402 (needs the settings)

code.announce()
