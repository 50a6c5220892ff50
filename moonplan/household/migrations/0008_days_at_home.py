import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("household", "0007_change_page"),
    ]

    operations = [
        migrations.CreateModel(
            name="DayAtHome",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("version", models.PositiveIntegerField(default=1)),
                ("day", models.DateField()),
                (
                    "household",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="%(class)ss", to="household.household"
                    ),
                ),
                (
                    "vehicle",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to="household.vehicle"),
                ),
            ],
            options={"ordering": ("pk",), "abstract": False},
        ),
        migrations.AddConstraint(
            "dayathome", models.UniqueConstraint(fields=("vehicle", "day"), name="one_day_at_home")
        ),
    ]
