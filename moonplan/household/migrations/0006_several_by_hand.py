from django.db import migrations, models

OLD = ("pin_start", "pin_end", "pin_amps", "keep_off_from", "keep_off_to")


def as_lists(values):
    """What was one pin and one time to keep off, as lists of them."""
    start, end, amps, keep_off_from, keep_off_to = (values.get(name) for name in OLD)
    pinned = start and end and amps is not None
    return {
        "pins": [{"start": start, "end": end, "amps": amps}] if pinned else [],
        "keep_off": [{"start": keep_off_from, "end": keep_off_to}] if keep_off_from or keep_off_to else [],
    }


def one_becomes_a_list(apps, schema_editor):
    Evening, Change = (apps.get_model("household", name) for name in ("Evening", "Change"))
    for evening in Evening.objects.all():
        for name, value in as_lists({name: getattr(evening, name) for name in OLD}).items():
            setattr(evening, name, value)
        evening.save()
    # What was logged is undone by the names of today.
    for change in Change.objects.filter(kind="evening"):
        for side in ("before", "after"):
            values = getattr(change, side)
            if values is not None:
                kept = {name: value for name, value in values.items() if name not in OLD}
                setattr(change, side, kept | as_lists(values))
        change.save()


class Migration(migrations.Migration):

    dependencies = [
        ("household", "0005_tariffs_and_arrays"),
    ]

    operations = [
        migrations.AddField("evening", "pins", models.JSONField(blank=True, default=list)),
        migrations.AddField("evening", "keep_off", models.JSONField(blank=True, default=list)),
        migrations.RunPython(one_becomes_a_list, migrations.RunPython.noop),
        *(migrations.RemoveField("evening", name) for name in OLD),
    ]
