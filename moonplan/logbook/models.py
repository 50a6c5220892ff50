"""What happened: readings of the state of charge, each with its time."""

from django.db import models

from moonplan.household.models import Part, Vehicle


class SocReading(Part):
    """The SoC somebody read off a car; it holds until the next one."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE, related_name="soc_readings")
    at = models.DateTimeField()
    soc_pct = models.FloatField()

    class Meta(Part.Meta):
        ordering = ("at", "pk")
