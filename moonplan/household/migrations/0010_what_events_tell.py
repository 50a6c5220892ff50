import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("household", "0009_when_events_are"),
    ]

    operations = [
        migrations.AddField("trip", "event_summary", models.CharField(blank=True, default="", max_length=200)),
        migrations.AddField("trip", "event_km", models.FloatField(blank=True, null=True)),
        migrations.CreateModel(
            name="DroppedEvent",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("version", models.PositiveIntegerField(default=1)),
                ("event", models.CharField(max_length=300)),
                (
                    "household",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="%(class)ss", to="household.household"
                    ),
                ),
            ],
            options={"ordering": ("pk",), "abstract": False},
        ),
    ]
