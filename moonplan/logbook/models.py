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


class OdometerReading(Part):
    """What a car's odometer showed when a day was over, with the SoC and what was charged since, where known."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE, related_name="odometer_readings")
    day = models.DateField()
    km = models.FloatField()
    soc_pct = models.FloatField(null=True, blank=True)
    charged_kwh = models.FloatField(null=True, blank=True)
    temperature_c = models.FloatField(null=True, blank=True)

    class Meta(Part.Meta):
        ordering = ("day", "pk")
        constraints = (models.UniqueConstraint(fields=("vehicle", "day"), name="one_odometer_reading_a_day"),)


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
