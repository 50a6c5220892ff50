"""The application for an WSGI server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moonplan.site.settings.house")
application = get_wsgi_application()
