"""Settings. Whatever differs between copies comes from the environment, which the launcher sets."""

import os
from datetime import timedelta
from pathlib import Path

from csp.constants import NONE, SELF

BASE = Path(__file__).resolve().parent.parent.parent
VAR = Path(os.environ.get("EAGER_VAR", BASE / "var"))

SECRET_KEY = os.environ.get("EAGER_SECRET_KEY", "")
DEBUG = False

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"stderr": {"class": "logging.StreamHandler", "formatter": "line"}},
    "loggers": {
        "django": {"handlers": ["stderr"], "level": "WARNING", "propagate": False},
        "django.request": {"level": "ERROR"},  # whoever is refused is told why
        "axes": {"handlers": ["stderr"], "level": "WARNING", "propagate": False},  # wrong passwords
        "desk": {"handlers": ["stderr"], "level": "WARNING", "propagate": False},
    },
}
"""To the log of whichever process it is: the launcher puts their output into var/log."""

# Behind a reverse proxy with HTTPS: EAGER_HOSTS names the site, EAGER_HTTPS=1 allows nothing else. See docs/running.md.
HOSTS = [host for host in os.environ.get("EAGER_HOSTS", "").split(",") if host]
ALLOWED_HOSTS = ["127.0.0.1", "localhost", *HOSTS]
HTTPS = os.environ.get("EAGER_HTTPS", "") == "1"
SECURE_SSL_REDIRECT = SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = HTTPS
SECURE_REDIRECT_EXEMPT = [r"^health/$"]  # asked by the launcher, on this machine
SECURE_HSTS_SECONDS = 365 * 24 * 3600 if HTTPS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = HTTPS
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in HOSTS] if HTTPS else []

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "csp",
    "axes",
    "desk.accounts",
    "desk.shots",
    "desk.elements",
    "desk.stations",
    "desk.scenes",
    "desk.jobs",
    "desk.plan",
    "desk.intake",
    "desk.rebuild",
    "desk.finish",
    "desk.handoff",
    "desk.render",
    "desk.viewer",
    "desk.house",
]
MIDDLEWARE = [
    "desk.house.health.NobodyMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "desk.accounts.middleware.OneTimePasswordMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "desk.web.limits.LimitMiddleware",
    "desk.web.faults.FaultsMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "desk.urls"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE / "desk" / "templates"],
        "OPTIONS": {
            "libraries": {"paths": "desk.web.paths"},
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "desk.jobs.context.open_work",
                "desk.accounts.context.tour",
            ],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": os.environ.get("EAGER_DB_NAME", "eager"),
        "USER": "eager",
        "PASSWORD": os.environ.get("EAGER_DB_PASSWORD", ""),
        "HOST": os.environ.get("EAGER_DB_HOST", "127.0.0.1"),
        "PORT": os.environ.get("EAGER_DB_PORT", "8711"),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {"charset": "utf8mb4", "init_command": "SET sql_mode='STRICT_TRANS_TABLES'"},
        "TEST": {"NAME": "test_eager"},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

CELERY_BROKER_URL = os.environ.get("EAGER_QUEUE_URL", "redis://127.0.0.1:8712/0")
CELERY_TASK_ACKS_LATE = True
CELERY_TASK_IGNORE_RESULT = True
CELERY_WORKER_PREFETCH_MULTIPLIER = 1
CELERY_BROKER_CONNECTION_RETRY_ON_STARTUP = True
CELERY_BROKER_TRANSPORT_OPTIONS = {"socket_connect_timeout": 3, "socket_timeout": 10}

JOBS_LOST_AFTER = float(os.environ.get("EAGER_LOST_AFTER", "20"))  # seconds without a sign of life
JOBS_BACKOFF = float(os.environ.get("EAGER_BACKOFF", "3"))  # seconds before the second attempt, doubled for the third

AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT = 5  # wrong passwords in a row for a name from an address
AXES_COOLOFF_TIME = timedelta(minutes=2)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_CALLABLE = "desk.accounts.views.locked_out"
AXES_RESET_ON_SUCCESS = True
AXES_ENABLE_ADMIN = False
AXES_SENSITIVE_PARAMETERS: list[str] = []  # the log says whose name was tried, and from where; never the password
AXES_CLIENT_IP_CALLABLE = "desk.accounts.services.address_of"

LOGIN_URL = "login"
LOGIN_REDIRECT_URL = "shots"
LOGOUT_REDIRECT_URL = "login"
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in (
        "MinimumLengthValidator",
        "CommonPasswordValidator",
        "NumericPasswordValidator",
        "UserAttributeSimilarityValidator",
    )
]
SESSION_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "img-src": [SELF, "blob:", "data:"],
        "object-src": [NONE],
        "base-uri": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 << 20

STATIC_URL = "static/"
STATIC_ROOT = VAR / "static"
STATICFILES_DIRS = [BASE / "desk" / "static"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "whitenoise.storage.CompressedStaticFilesStorage"},
}

# Pictures lie below these folders and nowhere else; new ones are written below the first.
STORAGE_ROOTS = [Path(root) for root in os.environ.get("EAGER_ROOTS", str(VAR / "storage")).split(os.pathsep)]
PIXEL_CACHE_BYTES = int(os.environ.get("EAGER_PIXEL_CACHE_MB", "64")) << 20  # in memory, of each web process
PLANE_CACHE_BYTES = int(os.environ.get("EAGER_PLANE_CACHE_MB", "8192")) << 20  # on disk, of all processes together
CACHES = {
    "default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache"},
    "thumbs": {
        "BACKEND": "django.core.cache.backends.filebased.FileBasedCache",
        "LOCATION": VAR / "cache" / "thumbs",
        "TIMEOUT": None,
        "OPTIONS": {"MAX_ENTRIES": 20_000},
    },
}

LANGUAGE_CODE = "en"
TIME_ZONE = "UTC"
USE_TZ = True
FILE_UPLOAD_MAX_MEMORY_SIZE = 16 << 20
TEST_RUNNER = "desk.testing.Runner"
