"""The application for an WSGI server."""

import os
from threading import Thread

from django.core.wsgi import get_wsgi_application

from moonplan.planning.warming import warm

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "moonplan.site.settings.house")
application = get_wsgi_application()
Thread(target=warm, daemon=True).start()
