from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("household", "0008_days_at_home"),
    ]

    operations = [
        migrations.AddField("trip", "event_start", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("trip", "event_end", models.DateTimeField(blank=True, null=True)),
    ]
