"""Settings, from the environment with safe defaults. See docs/operate.md for every name."""

import sys
import tempfile
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path

import environ
from csp.constants import NONE, SELF
from django.core.exceptions import ImproperlyConfigured
from django.core.management.utils import get_random_secret_key

from wainwright import deployed

env = environ.Env()
BASE = Path(__file__).resolve().parent.parent
TESTING = "test" in sys.argv[1:2]
# Tests keep nothing beside the data, and two runs at once do not meet: each has a folder of its own.
VAR = Path(
    tempfile.mkdtemp(prefix="wainwright-test-") if TESTING else env.str("WAINWRIGHT_VAR", str(BASE / "var"))
).absolute()
VAR.mkdir(parents=True, exist_ok=True)
with suppress(PermissionError):
    # Everything of people lies in here.
    VAR.chmod(0o700)

# The demo offers its people on the sign-in page and lets its clock be moved; never for real use.
DEMO = env.bool("WAINWRIGHT_DEMO", False)
DEBUG = env.bool("WAINWRIGHT_DEBUG", False)
# The moment at which demo and tests are held (ISO 8601), so that neither depends on the day they are run. Tests have
# a Wednesday in the middle of a month.
_NOW = env.str("WAINWRIGHT_NOW", "") or ("2026-09-16T10:00" if TESTING else "")
NOW = datetime.fromisoformat(_NOW) if _NOW and (TESTING or DEMO) else None
if NOW is not None and NOW.tzinfo is None:
    NOW = NOW.replace(tzinfo=UTC)


def _secret_key() -> str:
    """Return the key from the environment, or one made at the first start and kept beside the data."""
    if given := env.str("WAINWRIGHT_SECRET_KEY", ""):
        return given
    path = VAR / "secret-key"
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(get_random_secret_key())
    return path.read_text().strip()


SECRET_KEY = _secret_key()
# Keys of before, when the key is changed: what was sealed and signed with them still holds.
SECRET_KEY_FALLBACKS = env.list("WAINWRIGHT_OLD_SECRET_KEYS", default=[])
# The addresses of the web servers before this one; only they are believed when they say whom they speak for.
PROXIES = env.list("WAINWRIGHT_PROXIES", default=[])
ALLOWED_HOSTS = env.list("WAINWRIGHT_HOSTS", default=["127.0.0.1", "localhost"])
CSRF_TRUSTED_ORIGINS = env.list("WAINWRIGHT_ORIGINS", default=[])

APPS = [
    "people", "trail", "news", "rulebook", "accounts", "signoff", "bookings", "trips", "profile", "expenses", "claims", "tray",
    "journals", "reconciling", "masters", "closing", "api", "bench", "staff", "reports", "identity", "founding", "rehearsal", "operating", "web", "standins.ledger", "standins.mailbox",
]  # fmt: skip
INSTALLED_APPS = [
    # Ours first, so that our templates stand before those of the same name.
    *[f"wainwright.{name}" for name in APPS],
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "allauth",
    "allauth.account",
    "allauth.mfa",
    "allauth.socialaccount",
    "allauth.socialaccount.providers.openid_connect",
    "allauth.usersessions",
    "csp",
    "django_htmx",
    "huey.contrib.djhuey",
    "django_guid",
    "django_prometheus",
    "rest_framework",
    "drf_spectacular",
]
REST_FRAMEWORK = {
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["rest_framework.parsers.JSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "UNAUTHENTICATED_USER": None,
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Wainwright for an outside ledger",
    "DESCRIPTION": "Fetch what is cleared, report what was posted or refused. A token of the firm lets in; a report carries an Idempotency-Key.",
    "VERSION": "1",
    "SERVE_INCLUDE_SCHEMA": False,
    "SCHEMA_PATH_PREFIX": "/api/v1",
}
# The token by which Prometheus reads what is measured; without one nothing is measured.
METRICS_TOKEN = env.str("WAINWRIGHT_METRICS_TOKEN", "")
# The page while the machine is worked on stands while this file does.
MAINTENANCE = VAR / "maintenance.json"
# The collector to which requests are told, part by part (OTLP over HTTP); none is asked where this is empty.
TRACES = env.str("WAINWRIGHT_TRACES", "")
# To whom errors are mailed that nobody foresaw.
OPERATORS = env.list("WAINWRIGHT_OPERATORS", default=[])
DJANGO_GUID = {"GUID_HEADER_NAME": "X-Request-ID", "EXPOSE_HEADER": False, "VALIDATE_GUID": True}
MIDDLEWARE = [
    *(["django_prometheus.middleware.PrometheusBeforeMiddleware"] if METRICS_TOKEN else []),
    "django_guid.middleware.guid_middleware",
    "wainwright.operating.middleware.LogMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "wainwright.operating.middleware.MaintenanceMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "wainwright.web.lasting.LastingMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "wainwright.web.middleware.NoStoreMiddleware",
    "wainwright.web.middleware.TextMiddleware",
    "wainwright.web.middleware.MemberMiddleware",
    "wainwright.web.proving.ProofMiddleware",
    "wainwright.web.middleware.OnceMiddleware",
    "wainwright.web.middleware.RefusalMiddleware",
    *(["django_prometheus.middleware.PrometheusAfterMiddleware"] if METRICS_TOKEN else []),
]
ROOT_URLCONF = "wainwright.urls"
WSGI_APPLICATION = "wainwright.wsgi.application"
FORM_RENDERER = "wainwright.widgets.Renderer"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "wainwright.web.context.frame",
            ],
            "builtins": [
                "django.templatetags.i18n",
                "wainwright.web.templatetags.ui",
                "wainwright.web.templatetags.once",
            ],
        },
    }
]

DATABASES = {
    "default": deployed.database(
        env.db_url("WAINWRIGHT_DATABASE", default=f"sqlite:///{VAR / 'wainwright.sqlite3'}"), VAR
    )
}
if DATABASES["default"]["ENGINE"] == deployed.SQLITE:
    for _end in ("", "-wal", "-shm"):
        # One that was made before others were kept out of it.
        with suppress(OSError):
            Path(f"{DATABASES['default']['NAME']}{_end}").chmod(0o600)
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

SESSION_ENGINE, _beside_sessions = deployed.sessions(env.str("WAINWRIGHT_CACHE", ""), VAR, DATABASES["default"])
SESSION_CACHE_ALIAS = "sessions"
CACHES = {
    # What the sign-in package counts (codes, mails of passwords): in the database, so that nothing pushes it out.
    "default": {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache", "LOCATION": "people_counts",
        "OPTIONS": {"MAX_ENTRIES": 1_000_000},
    },
    "sessions": _beside_sessions,
}  # fmt: skip
# What takes long is bounded (formats.apart), and does not hold up what comes behind it.
HUEY = deployed.queue(
    env.str("WAINWRIGHT_QUEUE", ""),
    VAR,
    DATABASES["default"],
    [SECRET_KEY, *SECRET_KEY_FALLBACKS],
    immediate=TESTING or env.bool("WAINWRIGHT_NO_QUEUE", False),
)

AUTH_USER_MODEL = "people.Person"
AUTHENTICATION_BACKENDS = ["allauth.account.auth_backends.AuthenticationBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "wainwright.people.strength.Guessable"},
]
LOGIN_URL = "account_login"
LOGIN_REDIRECT_URL = "/"
ACCOUNT_ADAPTER = "wainwright.people.adapter.Adapter"
ACCOUNT_LOGIN_METHODS = {"email"}
ACCOUNT_SIGNUP_FIELDS = ["email*", "password1*"]
ACCOUNT_USER_MODEL_USERNAME_FIELD = None
ACCOUNT_EMAIL_VERIFICATION = "none"
ACCOUNT_LOGOUT_REDIRECT_URL = "/accounts/login/"
ACCOUNT_SESSION_REMEMBER = False
SOCIALACCOUNT_ADAPTER = "wainwright.people.providers.ProviderAdapter"
# A form of ours leads to a provider, never a link of somebody else's.
SOCIALACCOUNT_LOGIN_ON_GET = True
MFA_ADAPTER = "wainwright.people.adapter.FactorAdapter"
MFA_SUPPORTED_TYPES = ["totp", "webauthn", "recovery_codes"]
MFA_PASSKEY_LOGIN_ENABLED = True
# Browsers take localhost for safe; everywhere else a passkey asks for HTTPS.
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = DEMO or DEBUG or TESTING
MFA_RECOVERY_CODES_SHOW_ONCE = True
MFA_TOTP_ISSUER = "Wainwright"
# Addresses are given by the firm, not typed by the person, so none waits to be verified.
MFA_ALLOW_UNVERIFIED_EMAIL = True
# Attempts with a password are counted by people/guarding.py; these are those with a code, of one person.
ACCOUNT_RATE_LIMITS = {"login": None, "login_failed": "5/5m/key"}

MESSAGE_STORAGE = "wainwright.web.told.Storage"
LANGUAGE_CODE = "en-ie"
# See wainwright/language.py.
LANGUAGES = [("en", "English"), ("nb", "Norsk bokmål"), ("de", "Deutsch")]
LOCALE_PATHS = [BASE / "wainwright" / "locale"]
TIME_ZONE = "UTC"
USE_TZ = True
USE_I18N = True
# Numbers are written in a language's way by our own filters, where people read them, and nowhere else: a drawing's are not.
FORMAT_MODULE_PATH = ["wainwright.locale"]

STATIC_URL = "static/"
STATIC_ROOT = VAR / "static"
STATIC_ROOT.mkdir(exist_ok=True)
MEDIA_ROOT = VAR / "files"
STORAGES = {
    "default": deployed.files(env.str("WAINWRIGHT_FILES", "")),
    "staticfiles": {
        "BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"
        if TESTING or DEBUG
        # A demo on one machine is not worth the seconds that packing takes.
        else "django.contrib.staticfiles.storage.ManifestStaticFilesStorage"
        if DEMO
        else "whitenoise.storage.CompressedManifestStaticFilesStorage"
    },
}
# Files of people are never served by their path; a view checks who asks.
MEDIA_URL = ""
FILE_UPLOAD_PERMISSIONS, FILE_UPLOAD_DIRECTORY_PERMISSIONS = 0o600, 0o700
FILE_UPLOAD_MAX_MEMORY_SIZE = 2_500_000
DATA_UPLOAD_MAX_MEMORY_SIZE = 5_000_000
# Fifty are taken at once; a few more are let in, so that the page itself can say so.
DATA_UPLOAD_MAX_NUMBER_FILES = 200

EMAIL_BACKEND = env.str(
    "WAINWRIGHT_EMAIL_BACKEND",
    "django.core.mail.backends.smtp.EmailBackend"
    if env.str("WAINWRIGHT_SMTP_HOST", "")
    else "wainwright.standins.mailbox.backend.Backend",
)
EMAIL_HOST, EMAIL_PORT = env.str("WAINWRIGHT_SMTP_HOST", "localhost"), env.int("WAINWRIGHT_SMTP_PORT", 25)
EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = env.str("WAINWRIGHT_SMTP_USER", ""), env.str("WAINWRIGHT_SMTP_PASSWORD", "")
# "starttls", "tls" from the first byte on, or "none".
EMAIL_USE_TLS = env.str("WAINWRIGHT_SMTP_TLS", "starttls" if EMAIL_HOST_USER else "none") == "starttls"
EMAIL_USE_SSL = env.str("WAINWRIGHT_SMTP_TLS", "") == "tls"
EMAIL_TIMEOUT = 30
DEFAULT_FROM_EMAIL = env.str("WAINWRIGHT_FROM", "Wainwright <wainwright@localhost>")

# Receipts are forwarded to NAME@this domain; the door for them listens here (see docs/operate.md).
MAIL_DOMAIN = env.str("WAINWRIGHT_MAIL_DOMAIN", "tray.wainwright.example")
MAIL_DOOR = (env.str("WAINWRIGHT_MAIL_HOST", "127.0.0.1"), env.int("WAINWRIGHT_MAIL_PORT", 8025))
MAIL_FOLDER = VAR / "mail-in"

# How far the trail went, a signed line a day: best on another disk, beside the backups.
ANCHORS = Path(env.str("WAINWRIGHT_ANCHORS", str(VAR / "anchors" / "trail.log")))

# Where people reach the application; mails link there.
ADDRESS = env.str("WAINWRIGHT_ADDRESS", "http://127.0.0.1:8000").rstrip("/")

# The classes behind the ports; put a real service's class in place of a stand-in.
PORTS = {
    "market": env.str("WAINWRIGHT_MARKET", "wainwright.standins.market.Standin"),
    "ledger": env.str("WAINWRIGHT_LEDGER", "wainwright.standins.ledger.service.Standin"),
    "bank": env.str("WAINWRIGHT_BANK", "wainwright.standins.bank.Standin"),
    "roads": env.str("WAINWRIGHT_ROADS", "wainwright.standins.roads.Standin"),
    "card_issuer": env.str("WAINWRIGHT_CARD_ISSUER", "wainwright.standins.card_issuer.Standin"),
    "reader": env.str("WAINWRIGHT_READER", "wainwright.standins.reader.Standin"),
}

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "manifest-src": [SELF],
        "worker-src": [SELF],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
        "base-uri": [NONE],
        "report-uri": ["/refused-by-browser/"],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SESSION_COOKIE_AGE = 12 * 3600
# Without a click, and at most whatever is clicked: see wainwright/web/lasting.py.
SESSION_IDLE = timedelta(minutes=env.int("WAINWRIGHT_SESSION_IDLE_MINUTES", 120))
SESSION_LONGEST = timedelta(hours=12)
# Whether the net between the machines of the installation is sealed by itself.
PLAIN_INSIDE = env.bool("WAINWRIGHT_PLAIN_INSIDE", False)
if not (DEMO or DEBUG or TESTING):
    SECURE_SSL_REDIRECT = env.bool("WAINWRIGHT_SSL_REDIRECT", True)
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_HSTS_SECONDS = 31_536_000
    SECURE_HSTS_INCLUDE_SUBDOMAINS = True
    SECURE_HSTS_PRELOAD = True
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = True
    # A browser takes such a name from this very host alone, by HTTPS, for all of it.
    SESSION_COOKIE_NAME, CSRF_COOKIE_NAME = "__Host-session", "__Host-csrf"
    reached = {name: env.str(f"WAINWRIGHT_{name}", "") for name in ("DATABASE", "QUEUE", "CACHE", "FILES", "TRACES")}
    if (open_ := deployed.in_the_open(reached)) and not PLAIN_INSIDE:
        raise ImproperlyConfigured(
            f"{', '.join(f'WAINWRIGHT_{name}' for name in open_)} would send what people have over the net unsealed: use ?sslmode=verify-full, "
            "rediss:// and https://, or say WAINWRIGHT_PLAIN_INSIDE=1 where the net between the machines is sealed by itself."
        )
SILENCED_SYSTEM_CHECKS = ["security.W008"] if env.bool("WAINWRIGHT_SSL_REDIRECT", True) is False else []

TEST_RUNNER = "tests.runner.Runner"
LOGGING = deployed.logs(env.str("WAINWRIGHT_LOGS", ""), env.str("WAINWRIGHT_LOG_LEVEL", "WARNING"))
