"""What happened: readings of charge and of charge rates, and what meters, roofs and price lists said, by time."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db import models, transaction

from moonplan.core.series import Day
from moonplan.household.models import Household, Lead, Part, Tariff, Vehicle


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


class LoggedSession(Part):
    """A session as somebody wrote it down: when, and what meter and car said. One that did not charge is of 0 kWh."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE, related_name="logged_sessions")
    # Which lead it hung on; None where that one is gone.
    lead = models.ForeignKey(Lead, null=True, blank=True, on_delete=models.SET_NULL, related_name="logged_sessions")
    start = models.DateTimeField(db_index=True)
    end = models.DateTimeField()
    wall_kwh = models.FloatField(null=True, blank=True)
    soc_from_pct = models.FloatField(null=True, blank=True)
    soc_to_pct = models.FloatField(null=True, blank=True)
    # Nobody read it: it went as planned, and the figures are the plan's.
    as_planned = models.BooleanField(default=False)

    class Meta(Part.Meta):
        ordering = ("start", "pk")


class SeriesDayQuerySet(models.QuerySet[Any]):
    def of(self, household: Household, kind: str, tariff: Tariff | None = None) -> SeriesDayQuerySet:
        """The days of one series."""
        return self.filter(household=household, kind=kind, tariff=tariff)

    def between(self, first: date, last: date) -> list[Day]:
        """The days from one to another, both included, as core takes them."""
        return [row.as_core() for row in self.filter(day__gte=first, day__lte=last)]


class SeriesDay(models.Model):
    """One UTC day of a series: of a tariff's dated prices, or of the mean power of a meter or roof."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="series_days")
    # price, grid (what came in), export (what went out), sun, cars
    kind = models.CharField(max_length=10)
    tariff = models.ForeignKey(Tariff, null=True, blank=True, on_delete=models.CASCADE, related_name="series_days")
    day = models.DateField()
    minutes = models.PositiveSmallIntegerField()
    values = models.JSONField()

    objects = SeriesDayQuerySet.as_manager()

    class Meta:
        ordering = ("day",)
        constraints = (
            models.UniqueConstraint(
                fields=("household", "kind", "day"), condition=models.Q(tariff=None), name="one_day_of_a_measured_series"
            ),
            models.UniqueConstraint(
                fields=("household", "kind", "tariff", "day"),
                condition=models.Q(tariff__isnull=False),
                name="one_day_of_a_tariffs_series",
            ),
        )

    def __str__(self) -> str:
        return f"{self.kind} of {self.day}"

    def as_core(self) -> Day:
        return Day(self.day, self.minutes, tuple(self.values))


class SeriesImport(Part):
    """A file that was brought into a series, with the days as they were before it: taking it away puts them back."""

    kind = models.CharField(max_length=10)
    tariff = models.ForeignKey(Tariff, null=True, blank=True, on_delete=models.CASCADE)
    name = models.CharField(max_length=200, blank=True, default="")
    at = models.DateTimeField()
    # By day: the resolution and the values that stood there, or nothing.
    before = models.JSONField(default=dict)

    @transaction.atomic
    def delete(self, *args: Any, **kwargs: Any) -> tuple[int, dict[str, int]]:
        series = SeriesDay.objects.of(self.household, self.kind, self.tariff)
        for day, stood in self.before.items():
            if stood is None:
                series.filter(day=day).delete()
            else:
                series.filter(day=day).update(minutes=stood[0], values=stood[1])
        return super().delete(*args, **kwargs)
