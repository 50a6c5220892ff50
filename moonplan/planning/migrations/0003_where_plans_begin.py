from datetime import datetime

from django.db import migrations, models
from django.db.models.fields.json import KT


def begins_as_planned(apps, schema_editor):
    """Plans that were shown before say themselves where they begin."""
    plans = apps.get_model("planning", "ShownPlan").objects
    for pk, start in plans.annotate(start=KT("plan__start")).values_list("pk", "start"):
        plans.filter(pk=pk).update(begins=datetime.fromisoformat(start))


class Migration(migrations.Migration):

    dependencies = [
        ('planning', '0002_plans_stand_on_readings'),
    ]

    operations = [
        migrations.AddField(
            model_name='shownplan',
            name='begins',
            field=models.DateTimeField(blank=True, db_index=True, null=True),
        ),
        migrations.RunPython(begins_as_planned, migrations.RunPython.noop),
    ]
