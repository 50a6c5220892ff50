"""What a household keeps: people, the drawing from the supply to the cars, the tariff, trips and nightly decisions.

Field names are the keys of the household document, so that one check (core's) serves file and screen alike. Every
editable row carries a version; an edit that comes with an older one is answered with what changed.
"""

from __future__ import annotations

import secrets
from typing import Any

from django.conf import settings
from django.db import models


class Household(models.Model):
    """One household: place, supply, tariff and how its people plan."""

    version = models.PositiveIntegerField(default=1)
    name = models.CharField(max_length=100, default="Our house")
    timezone = models.CharField(max_length=64, default="UTC")
    latitude = models.FloatField(null=True, blank=True)
    longitude = models.FloatField(null=True, blank=True)
    currency = models.CharField(max_length=3, default="EUR")
    distance_unit = models.CharField(max_length=2, default="km", choices=[("km", "km"), ("mi", "miles")])
    set_up = models.BooleanField(default=False)
    leg_voltage_v = models.FloatField(default=230)
    legs = models.PositiveSmallIntegerField(default=1)
    rating_a = models.FloatField(default=25)
    continuous_factor = models.FloatField(default=0.8)
    base_margin_a = models.FloatField(default=0)
    # Empty: a week once the usual days of some car are known, a night until then.
    horizon_nights = models.PositiveSmallIntegerField(null=True, blank=True)
    habit = models.CharField(max_length=20, default="cheapest")
    set_nights = models.JSONField(default=list, blank=True)
    bedtime = models.CharField(max_length=5, default="22:30")
    wake = models.CharField(max_length=5, default="06:30")
    base_load_kw = models.JSONField(default=list)
    sun_day_kw = models.JSONField(default=list)
    # What a car on fuel would take, and what its fuel costs: litres, or gallons where distances are miles.
    fuel_per_100km = models.FloatField(null=True, blank=True)
    fuel_price = models.DecimalField(max_digits=12, decimal_places=5, null=True, blank=True)

    def __str__(self) -> str:
        return self.name


class Person(models.Model):
    """A signed-in person and the one household that the session speaks for."""

    user = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="person")
    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="people")

    def __str__(self) -> str:
        return self.user.get_username()


def _token() -> str:
    return secrets.token_urlsafe(24)


class Invitation(models.Model):
    """A link that works once: for the first person of a new household, for another one, or to sign a person in."""

    token = models.CharField(max_length=64, unique=True, default=_token)
    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="invitations")
    signs_in = models.ForeignKey(Person, null=True, blank=True, on_delete=models.CASCADE)
    used_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"for {self.household}"


class PartQuerySet(models.QuerySet[Any]):
    def of(self, household: Household) -> PartQuerySet:
        """The rows of one household: the only way a view reaches any."""
        return self.filter(household=household)


class Part(models.Model):
    """A row of a household that its people edit."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="%(class)ss")
    version = models.PositiveIntegerField(default=1)

    objects = PartQuerySet.as_manager()

    class Meta:
        abstract = True
        ordering = ("pk",)

    def __str__(self) -> str:
        return str(getattr(self, "name", "") or f"{type(self).__name__.lower()} {self.pk}")


class Feeder(Part):
    name = models.CharField(max_length=200)
    legs = models.JSONField(default=list)
    rating_a = models.FloatField()
    continuous_factor = models.FloatField()
    other_load_a = models.FloatField(default=0)


class Circuit(Part):
    name = models.CharField(max_length=200)
    feeder = models.ForeignKey(Feeder, null=True, blank=True, on_delete=models.PROTECT)
    kind = models.CharField(max_length=10, default="dedicated")
    breaker_a = models.FloatField()
    wire_a = models.FloatField(null=True, blank=True)
    outlet_a = models.FloatField(null=True, blank=True)
    socket_a = models.FloatField(null=True, blank=True)
    voltage_v = models.FloatField()
    phases = models.PositiveSmallIntegerField(default=1)
    legs = models.JSONField(null=True, blank=True)
    continuous_factor = models.FloatField()
    other_load_a = models.FloatField(default=0)
    sharing = models.CharField(max_length=5, null=True, blank=True)
    residual_current_protection = models.BooleanField(null=True, blank=True)
    inspected = models.BooleanField(null=True, blank=True)
    new_work = models.BooleanField(null=True, blank=True)


class Lead(Part):
    name = models.CharField(max_length=200)
    circuit = models.ForeignKey(Circuit, on_delete=models.PROTECT)
    max_a = models.FloatField()
    min_a = models.FloatField(default=6)
    steps_a = models.JSONField(default=list, blank=True)
    phases = models.PositiveSmallIntegerField(default=1)
    cable_a = models.FloatField(null=True, blank=True)
    cable_phases = models.PositiveSmallIntegerField(null=True, blank=True)
    control = models.CharField(max_length=8, default="managed")
    extension = models.BooleanField(null=True, blank=True)
    combines_outlets = models.BooleanField(null=True, blank=True)
    across = models.CharField(max_length=6, null=True, blank=True)
    outdoors = models.BooleanField(null=True, blank=True)
    weather_rated = models.BooleanField(null=True, blank=True)
    restarts = models.BooleanField(null=True, blank=True)


class Vehicle(Part):
    name = models.CharField(max_length=200)
    lead = models.ForeignKey(Lead, on_delete=models.PROTECT)
    usable_kwh = models.FloatField()
    onboard_kw = models.FloatField()
    onboard_phases = models.PositiveSmallIntegerField(default=1)
    onboard_a = models.FloatField(null=True, blank=True)
    ceiling_a = models.FloatField(null=True, blank=True)
    use_kwh_per_100km = models.FloatField()
    rated_kwh_per_100km = models.FloatField(null=True, blank=True)
    daily_limit_pct = models.FloatField(default=80)
    reserve_pct = models.FloatField(default=10)
    end_pct = models.FloatField(null=True, blank=True)
    rest_pct = models.FloatField(default=80)
    taper_from_pct = models.FloatField(default=95)
    boost_pct = models.FloatField(default=0)
    control = models.CharField(max_length=8, default="hand")
    cutoff = models.BooleanField(default=False)
    habit = models.CharField(max_length=20, null=True, blank=True)
    plug_in_from = models.CharField(max_length=5, null=True, blank=True)
    plug_in_to = models.CharField(max_length=5, null=True, blank=True)
    # Kilometres of a usual day by weekday, typed instead of learned, and when such a day's drive begins and ends.
    usual_km = models.JSONField(default=dict, blank=True)
    usual_leave = models.CharField(max_length=5, default="08:00")
    usual_back = models.CharField(max_length=5, default="17:00")


class Rate(Part):
    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    lead = models.ForeignKey(Lead, on_delete=models.CASCADE)
    efficiency = models.FloatField()
    overhead_kw = models.FloatField()
    cautious_efficiency = models.FloatField(null=True, blank=True)
    cautious_overhead_kw = models.FloatField(null=True, blank=True)
    voltage_v = models.FloatField(null=True, blank=True)


class Trip(Part):
    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    leave = models.DateTimeField()
    back = models.DateTimeField()
    km = models.FloatField()
    temperature_c = models.FloatField(null=True, blank=True)
    gain_kwh = models.FloatField(default=0)
    fill = models.BooleanField(default=False)
    fill_to_pct = models.FloatField(default=100)
    summary = models.CharField(max_length=200, blank=True, default="")
    # What tells an event of a calendar from every other, for a trip that was brought in from one.
    event = models.CharField(max_length=300, blank=True, default="")
    # When that event began and ended, and its text and distance, as the calendar told it last: only what it tells otherwise
    # by now changes the trip.
    event_start = models.DateTimeField(null=True, blank=True)
    event_end = models.DateTimeField(null=True, blank=True)
    event_summary = models.CharField(max_length=200, blank=True, default="")
    event_km = models.FloatField(null=True, blank=True)

    class Meta(Part.Meta):
        ordering = ("leave",)


class Tariff(Part):
    """A tariff as it stands on its sheet; the one in force is the last that has begun, unless it is only a rival."""

    name = models.CharField(max_length=200)
    # The first day on which it holds; empty for one that has always held.
    since = models.DateField(null=True, blank=True)
    # Looked at beside the household's own, and never planned with.
    rival = models.BooleanField(default=False)
    default_price = models.DecimalField(max_digits=12, decimal_places=7)
    export_price = models.DecimalField(max_digits=12, decimal_places=7, default=0)
    daily_charge = models.DecimalField(max_digits=12, decimal_places=7, default=0)
    monthly_per_kw = models.DecimalField(max_digits=12, decimal_places=7, default=0)
    contracted_kw = models.FloatField(null=True, blank=True)
    day_of = models.CharField(max_length=5, default="clock")
    holidays = models.JSONField(default=list, blank=True)
    # The feed that its dated prices come from, by the feed's key; empty for none.
    feed = models.CharField(max_length=20, blank=True, default="")

    class Meta(Part.Meta):
        ordering = ("rival", "since", "pk")


class Band(Part):
    tariff = models.ForeignKey(Tariff, on_delete=models.PROTECT, related_name="bands")
    # Its place in the list, the first that matches wins; a new one comes last.
    position = models.PositiveIntegerField(default=1000)
    name = models.CharField(max_length=200)
    price = models.DecimalField(max_digits=12, decimal_places=7)
    days = models.JSONField(default=list)
    start = models.CharField(max_length=5)
    end = models.CharField(max_length=5)
    months = models.JSONField(null=True, blank=True)

    class Meta(Part.Meta):
        ordering = ("tariff", "position", "pk")


class Array(Part):
    """Panels in one plane."""

    name = models.CharField(max_length=200)
    kwp = models.FloatField()
    tilt_deg = models.FloatField(default=30)
    azimuth_deg = models.FloatField(default=180)
    losses_pct = models.FloatField(default=14)
    inverter_kw = models.FloatField(null=True, blank=True)
    # What measured output found the model to be off by.
    correction = models.FloatField(default=1)


class Evening(Part):
    """What was decided for one car and one night."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    night = models.DateField()
    limit_pct = models.FloatField(null=True, blank=True)
    ceiling_a = models.FloatField(null=True, blank=True)
    ready_by = models.CharField(max_length=5, null=True, blank=True)
    plugged_in = models.BooleanField(default=True)
    # Sessions that stay as they are (start, end, amps), and times in which it must not charge (start, end), by the clock
    # of that night.
    pins = models.JSONField(default=list, blank=True)
    keep_off = models.JSONField(default=list, blank=True)

    class Meta(Part.Meta):
        constraints = (models.UniqueConstraint(fields=("vehicle", "night"), name="one_evening_a_night"),)


class DayAtHome(Part):
    """A day on which a car stays at home, whatever it usually does."""

    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    day = models.DateField()

    class Meta(Part.Meta):
        constraints = (models.UniqueConstraint(fields=("vehicle", "day"), name="one_day_at_home"),)


class Option(Part):
    """A hook-up as it might be: links that are changed (the keys of a what-if), kept for later."""

    name = models.CharField(max_length=200)
    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    lead = models.ForeignKey(Lead, on_delete=models.CASCADE)
    links = models.JSONField(default=dict)


class ReadCaution(models.Model):
    """A caution that a person has read, with the reason it gave then: for another reason it is a new one."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="read_cautions")
    code = models.CharField(max_length=50)
    about = models.CharField(max_length=10)
    subject = models.CharField(max_length=20)
    because = models.TextField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("person", "code", "about", "subject"), name="one_reading_a_caution"),)

    def __str__(self) -> str:
        return f"{self.code} read by {self.person}"


class KnownEvent(Part):
    """What somebody said once of events with a summary: which car drives, and how far."""

    summary = models.CharField(max_length=200)
    vehicle = models.ForeignKey(Vehicle, on_delete=models.CASCADE)
    km = models.FloatField()


class DroppedEvent(Part):
    """An occurrence of an event whose trip somebody took away: it doesn't come again with its calendar."""

    # As a trip has it.
    event = models.CharField(max_length=300)


class Feed(models.Model):
    """The secret address at which the plan can be subscribed to."""

    household = models.OneToOneField(Household, on_delete=models.CASCADE, related_name="feed")
    token = models.CharField(max_length=64, unique=True, default=_token)

    def __str__(self) -> str:
        return f"of {self.household}"


class Change(models.Model):
    """One edit, with what stood there before and after: the log behind undo."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="changes")
    person = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    what = models.CharField(max_length=200)
    kind = models.CharField(max_length=20)
    row = models.PositiveBigIntegerField()
    before = models.JSONField(null=True)
    after = models.JSONField(null=True)
    version = models.PositiveIntegerField()
    undone = models.BooleanField(default=False)
    # Edits that were made as one are undone as one.
    batch = models.CharField(max_length=32, blank=True, default="")
    # The open page that it came from, where one said so.
    page = models.CharField(max_length=32, blank=True, default="")

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.what
