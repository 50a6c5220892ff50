"""The application for an WSGI server."""

import os
from threading import Thread

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moonplan.site.settings.house")
application = get_wsgi_application()


def _fetch_the_sun() -> None:
    """What the first plan of a start would otherwise wait a second for."""
    import pvlib.location  # noqa: F401


Thread(target=_fetch_the_sun, daemon=True).start()
