"""Forms about people and gardens."""

from __future__ import annotations

from fennet.presentation.roles import ROLE_WORDS
from fennet.web.forms import Choice, Form, Hidden, Whole, Words


class InviteForm(Form):
    role = Choice("They may", ROLE_WORDS, default="helper", required="Choose what they may do.")


class GivenForm(Form):
    """One of what was given out, by its hash."""

    given = Hidden(longest=80)


class MemberForm(Form):
    person = Whole("Person", required="Choose a person.")
    #: A role, or what else to do.
    act = Words("Act", 20, required="Choose what to do.")


class RemoveForm(Form):
    typed = Words("The garden’s name", required="Type the garden’s name to remove it.")


class GardenForm(Form):
    name = Words("Name of the garden", required="The garden needs a name.")
    timezone = Choice("Time zone", default="UTC", render_kw={"data-time-zone": ""})
