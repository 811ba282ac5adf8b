"""Settings. Everything a person may want to change is an environment variable that begins with DACTYL_."""

import os
import secrets
from pathlib import Path

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("DACTYL_DATA", ROOT / "data")).resolve()
"""Samples, prepared sounds, bounces and the database; never in git."""


def _number(name: str, default: int, low: int, high: int) -> int:
    text = os.environ.get(name, str(default))
    try:
        number = int(text)
    except ValueError:
        number = low - 1
    if not low <= number <= high:
        raise SystemExit(
            f"{name} is “{text}”: set it to a whole number from {low:,} to {high:,}, or leave it out for {default:,}."
        )
    return number


def _one_of(name: str, *allowed: str) -> str:
    text = os.environ.get(name, allowed[0])
    if text not in allowed:
        raise SystemExit(f"{name} is “{text}”: set it to {' or '.join(allowed)}, or leave it out for {allowed[0]}.")
    return text


def _make_folder(path: Path) -> None:
    try:
        path.mkdir(parents=True, exist_ok=True)
        path.chmod(0o700)
    except OSError as problem:
        raise SystemExit(
            f"The data folder {path} can't be used ({problem.strerror}). Set DACTYL_DATA to a folder that can be written."
        ) from None


os.umask(0o077)  # recordings and database are their owner's alone
_make_folder(DATA)

DEBUG = False
ALLOWED_HOSTS = os.environ.get("DACTYL_HOSTS", "127.0.0.1,localhost,[::1]").split(",")


def _secret_key() -> str:
    path = DATA / "secret-key"
    if not path.exists():
        partial = path.with_suffix(f".{os.getpid()}")
        partial.touch(mode=0o600)
        partial.write_text(secrets.token_urlsafe(50))
        partial.rename(path)
    return path.read_text()


SECRET_KEY = _secret_key()

INSTALLED_APPS = [
    "django.contrib.staticfiles",
    "django.contrib.humanize",
    "django_htmx",
    "django_tasks",
    "django_tasks_db",
    "csp",
    "dactyl.history",
    "dactyl.jobs",
    "dactyl.shelf",
    "dactyl.kits",
    "dactyl.maps",
    "dactyl.sets",
    "dactyl.pictures",
    "dactyl.playing",
    "dactyl.kit_files",
    "dactyl.stacking",
    "dactyl.swaps",
    "dactyl.desk",
    "dactyl.versions",
    "dactyl.parts",
    "dactyl.recordings",
    "dactyl.lineups",
    "dactyl.checks",
    "dactyl.bounces",
    "dactyl.demo",
    "dactyl.keeping",
]
MIDDLEWARE = [
    "csp.middleware.CSPMiddleware",  # outermost: static files and refusals carry the policy too
    "dactyl.site.middleware.Headers",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "dactyl.site.middleware.Compressed",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "dactyl.site.middleware.PlainErrors",
    "dactyl.web.note_naming.NoteNaming",
    "dactyl.web.machine_time.InMachineTime",
    "dactyl.site.middleware.ConsistentReads",
]
ROOT_URLCONF = "dactyl.site.urls"
WSGI_APPLICATION = "dactyl.site.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [ROOT / "dactyl/site/templates"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "dactyl.web.page_memory.page_token",
                "dactyl.site.views.of_every_page",
            ],
            "builtins": ["dactyl.kits.templatetags.kit_filters", "dactyl.parts.templatetags.transport"],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / "dactyl.sqlite3",
        "CONN_MAX_AGE": None,  # the last connection to close would write the WAL back, at every request
        "OPTIONS": {
            # A deferred transaction that reads and then writes fails at once under a second writer.
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
        # Of tests, from the models at once: migrating takes longer than many of them, and test_before does it.
        "TEST": {"MIGRATE": False},
    }
}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["imports", "bounces"]}}
EMBEDDED_WORKERS = _one_of("DACTYL_WORKERS", "embedded", "external") == "embedded"
"""Whether the server starts the background workers itself; otherwise run ``manage.py work``."""

STATIC_URL = "/static/"
STATICFILES_DIRS = [ROOT / "dactyl/site/static"]
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 0
WHITENOISE_ALLOW_ALL_ORIGINS = False

USE_TZ = True
TIME_ZONE = "UTC"  # of what is stored; pages show the machine's own (machine_time.py)
MACHINE_ZONE = os.environ.get("TZ")
LANGUAGE_CODE = "en-gb"
USE_I18N = False  # one language; asking for the visitor's at every number drawn is dear
USE_THOUSAND_SEPARATOR = False

CSRF_COOKIE_HTTPONLY = True  # scripts take the token from the page
CSRF_FAILURE_VIEW = "dactyl.site.views.csrf_failed"
X_FRAME_OPTIONS = "DENY"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "worker-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF, "data:"],
        "media-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}

# Limits: what one person may bring in at once. Bytes unless named otherwise.
MEGABYTE = 1 << 20
MAX_UPLOAD_BYTES = _number("DACTYL_MAX_UPLOAD_MB", 2048, 1, 1 << 20) * MEGABYTE
MAX_ZIP_FILES = _number("DACTYL_MAX_ZIP_FILES", 20_000, 1, 1_000_000)
MAX_ZIP_BYTES = _number("DACTYL_MAX_ZIP_MB", 8192, 1, 1 << 20) * MEGABYTE
MAX_SAMPLE_BYTES = _number("DACTYL_MAX_SAMPLE_MB", 512, 1, 1 << 16) * MEGABYTE
PREPARED_CACHE_BYTES = _number("DACTYL_PREPARED_MB", 4096, 16, 1 << 20) * MEGABYTE
PAGE_SOUND_BYTES = _number("DACTYL_PAGE_SOUND_MB", 512, 16, 1 << 16) * MEGABYTE
PLAYING_RATE_HZ = _number("DACTYL_RATE", 48_000, 8_000, 192_000)
MIDDLE_C_OCTAVE = _number("DACTYL_MIDDLE_C", 3, 3, 5)
"""What MIDI note 60 is called: C3, C4 or C5."""

DATA_UPLOAD_MAX_MEMORY_SIZE = 32 * MEGABYTE
DATA_UPLOAD_MAX_NUMBER_FIELDS = 20_000  # the keys of as many samples as can be selected, and more
FILE_UPLOAD_TEMP_DIR = DATA / "incoming"
_make_folder(FILE_UPLOAD_TEMP_DIR)
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.MemoryFileUploadHandler", "dactyl.site.uploads.ToDisk"]

TEST_RUNNER = "dactyl.site.test_runner.CountingRunner"
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "root": {"handlers": ["console"], "level": "WARNING"},
}
