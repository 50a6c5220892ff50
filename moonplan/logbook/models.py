"""What happened: readings of the state of charge and of charge rates, each with its time."""

from django.db import models

from moonplan.household.models import Lead, Part, Vehicle


class SocReading(Part):
    """The SoC somebody read off a car; it holds until the next one."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE, related_name="soc_readings")
    at = models.DateTimeField()
    soc_pct = models.FloatField()

    class Meta(Part.Meta):
        ordering = ("at", "pk")


class RateReading(Part):
    """What somebody read of a hook-up's charge rate; `values` are the keys of the readings document for its kind."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE, related_name="rate_readings")
    lead = models.ForeignKey(Lead, on_delete=models.CASCADE, related_name="rate_readings")
    kind = models.CharField(max_length=10)
    at = models.DateTimeField()
    values = models.JSONField(default=dict)
    excluded = models.BooleanField(default=False)
    note = models.CharField(max_length=500, blank=True, default="")

    class Meta(Part.Meta):
        ordering = ("at", "pk")
