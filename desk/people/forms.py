"""What people fill in about themselves."""

from django import forms

from desk.people.models import Person


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
