"""What people fill in about themselves and, who keeps the list, about others."""

import itertools
import secrets
from typing import Any

from django import forms
from django.conf import settings
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from desk.people.models import Person
from desk.people.roles import ROLES

LEAST_SECRET = 6


class SignInForm(forms.Form):
    """Name and password."""

    username = forms.CharField(max_length=150, label="Name")
    password = forms.CharField(max_length=200, widget=forms.PasswordInput, strip=False)


class PreferencesForm(forms.ModelForm):
    """Theme, units, shortcuts."""

    class Meta:
        """The fields a person may set."""

        model = Person
        fields = ("theme", "units", "single_keys")


class OwnForm(forms.Form):
    """A password and a signing secret of one's own."""

    password = forms.CharField(
        label="New password", max_length=200, strip=False, help_text="Ten characters or more, and not a common one.",
        widget=forms.PasswordInput(attrs={"autocomplete": "new-password"}),
    )  # fmt: skip
    secret = forms.CharField(
        label="Signing secret", max_length=40, strip=False,
        help_text="Six digits or more: it signs hand-overs and unlocks the desk. It is not the password.",
        widget=forms.PasswordInput(attrs={"autocomplete": "off", "inputmode": "numeric"}),
    )  # fmt: skip

    def __init__(self, person: Person, data: Any = None) -> None:
        """Bind to whose they will be."""
        super().__init__(data)
        self.person = person

    def clean_password(self) -> str:
        """Ask Django's validators."""
        password: str = self.cleaned_data["password"]
        validate_password(password, self.person)
        if self.person.check_password(password):
            raise ValidationError("this is the password you were given; choose another")
        return password

    def clean_secret(self) -> str:
        """Refuse a secret that is guessed at once."""
        secret: str = self.cleaned_data["secret"]
        refuse_weak(secret)
        return secret

    def keep(self) -> None:
        """Keep both."""
        self.person.set_password(self.cleaned_data["password"])
        self.person.set_signing_secret(self.cleaned_data["secret"])
        self.person.must_change = False
        self.person.save()


def refuse_weak(secret: str) -> None:
    """Refuse a secret that is too short, or one digit over and over, or a run of them."""
    if settings.FOX_DEMO:
        return
    if len(secret) < LEAST_SECRET:
        raise ValidationError(f"a secret has at least {LEAST_SECRET} characters")
    steps = {ord(after) - ord(before) for before, after in itertools.pairwise(secret)}
    if len(set(secret)) < 3 or (len(steps) == 1 and steps <= {-1, 0, 1}):
        raise ValidationError("this secret is guessed at once; mix the digits")


class AddForm(forms.ModelForm):
    """Somebody new."""

    class Meta:
        """What is known of somebody new."""

        model = Person
        fields = ("username", "first_name", "last_name", "role")

    role = forms.ChoiceField(choices=[(key, role.title) for key, role in ROLES.items()])

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        """Names are needed: they stand on log sheets."""
        super().__init__(*args, **kwargs)
        self.fields["username"].label = "Signs in as"
        for name in ("first_name", "last_name"):
            self.fields[name].required = True


def first_password() -> str:
    """Return a password to be told to somebody once, and changed by them at once."""
    return secrets.token_urlsafe(9)
