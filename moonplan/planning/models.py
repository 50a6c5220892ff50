"""The plans that were shown: immutable, each with the document it was made from."""

from django.db import models

from moonplan.household.models import Household


class ShownPlan(models.Model):
    """A plan as a person saw it. One of a household's plans is current."""

    household = models.ForeignKey(Household, on_delete=models.CASCADE, related_name="plans")
    made_at = models.DateTimeField(auto_now_add=True)
    # Where the plan begins, by the clock that planning goes by.
    begins = models.DateTimeField(null=True, blank=True, db_index=True)
    revision = models.CharField(max_length=64)
    document = models.JSONField()
    plan = models.JSONField()
    current = models.BooleanField(default=True)
    # By car the reading of its SoC, and what was aboard by the mean rate where the plan begins.
    stands_on = models.JSONField(default=dict)
    # After which edits of the household it was made.
    edits = models.CharField(max_length=40, blank=True, default="")

    class Meta:
        ordering = ("-pk",)
        constraints = (
            models.UniqueConstraint(
                fields=("household",), condition=models.Q(current=True), name="one_current_plan_a_household"
            ),
        )

    def __str__(self) -> str:
        return f"{self.household} {self.revision[:8]}"
