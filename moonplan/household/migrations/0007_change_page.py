from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ("household", "0006_several_by_hand"),
    ]

    operations = [
        migrations.AddField("change", "page", models.CharField(blank=True, default="", max_length=32)),
    ]
