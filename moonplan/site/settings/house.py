"""One house's own machine, over plain HTTP on the loopback address."""

import secrets

from moonplan.site.settings.base import *  # noqa: F403
from moonplan.site.settings.base import DATA

DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", "testserver"]


def _secret_key() -> str:
    """The key of this machine, made on first use and kept beside the database."""
    DATA.mkdir(parents=True, exist_ok=True)
    kept = DATA / "secret-key"
    if not kept.exists():
        kept.touch(mode=0o600)
        kept.write_text(secrets.token_urlsafe(64))
    return kept.read_text().strip()


SECRET_KEY = _secret_key()
