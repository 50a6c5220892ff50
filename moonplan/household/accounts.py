"""How people get in: a link that works once, for the first person, for another, or to sign the demo's person in."""

from __future__ import annotations

from django.contrib.auth import get_user_model
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from moonplan.core.mistakes import Mistake
from moonplan.household.editing import Refused
from moonplan.household.models import Household, Invitation, Person


def invitation_path(household: Household) -> str:
    """Path of a new link with which one person joins the household."""
    return f"/join/{Invitation.objects.create(household=household).token}"


def sign_in_path(person: Person) -> str:
    """Path of a new link that signs a person in once."""
    return f"/enter/{Invitation.objects.create(household=person.household, signs_in=person).token}"


@transaction.atomic
def use_sign_in(token: str) -> Person | None:
    """The person that an unused sign-in link is for, and the link used up; None where it is not good."""
    found = Invitation.objects.select_related("signs_in__user").filter(token=token, used_at=None).first()
    if found is None or found.signs_in is None:
        return None
    found.used_at = timezone.now()
    found.save(update_fields=["used_at"])
    return found.signs_in


@transaction.atomic
def join(token: str, username: str, password: str) -> Person:
    """Make an account with an invitation link.

    Raises
    ------
    Refused
        If the link was used or never given, the name is taken, or the password too easy.
    """
    found = Invitation.objects.select_related("household").filter(token=token, used_at=None, signs_in=None).first()
    if found is None:
        raise Refused([Mistake("token", "this link", "one that nobody has used yet: ask for a new invitation")])
    users = get_user_model().objects
    if users.filter(username=username).exists():
        raise Refused([Mistake("username", username, "a name that nobody here has")])
    try:
        validate_password(password)
    except ValidationError as error:
        raise Refused([Mistake("password", "…", " ".join(error.messages))]) from error
    person = Person.objects.create(user=users.create_user(username, password=password), household=found.household)
    found.used_at = timezone.now()
    found.save(update_fields=["used_at"])
    return person
