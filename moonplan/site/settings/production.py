"""Behind TLS: a reverse proxy ends it and says so in X-Forwarded-Proto. Needs MOONPLAN_SECRET_KEY and MOONPLAN_HOSTS."""

import os

from moonplan.site.settings.base import *  # noqa: F403

DEBUG = False
SECRET_KEY = os.environ["MOONPLAN_SECRET_KEY"]
ALLOWED_HOSTS = os.environ["MOONPLAN_HOSTS"].split(",")
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_SSL_REDIRECT = True
SECURE_HSTS_SECONDS = 365 * 24 * 3600
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
