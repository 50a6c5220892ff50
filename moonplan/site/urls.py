"""Addresses: the API, the one-time sign-in, and the page that everything else is shown on."""

from django.urls import path, re_path

from moonplan.api.routes import api
from moonplan.site.views import calendar, enter, page

urlpatterns = [
    path("api/", api.urls),
    path("enter/<str:token>", enter),
    path("calendar/<str:token>.ics", calendar),
    re_path(r"^(?!api/|static/).*$", page),
]
