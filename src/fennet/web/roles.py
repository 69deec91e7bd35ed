"""What a role may open and send: one table for the door, for what the menu shows and for what stands on a page.

The operations behind the pages guard themselves; this keeps people from forms that would only be refused.
"""

from __future__ import annotations

RANK = {"viewer": 0, "helper": 1, "owner": 2}
#: Least role to open a page, where that is not viewer; a view's name alone stands for all its pages.
OPENS = {
    "sow": "helper",
    "care.pot_up": "helper",
    "trays.new": "helper",
    "log": "helper",
    "seeds.packet": "helper",
    "begin": "owner",
    "begin.sown": "helper",
    "begin.seedlings": "helper",
    "tray.preview": "helper",
    "imports": "helper",
    "why.look": "helper",
    "room": "owner",
    "crops.own": "owner",
    "crops.own_one": "owner",
    "mend": "owner",
    "devices": "owner",
    "plan.want": "owner",
    "plan.season": "owner",
    "plan.calendar": "owner",
}
#: Least role to send a form, where that is not helper.
SENDS = {
    "begin": "owner",
    "begin.sown": "helper",
    "begin.seedlings": "helper",
    "room": "owner",
    "practice": "owner",
    "crops": "owner",
    "mend": "owner",
    "devices": "owner",
    "plan": "owner",
    "plan.day": "helper",
    "harden.station": "owner",
    "tune.device": "owner",
    "tune.lamp_device": "owner",
    "people": "owner",
    "learned": "owner",
    "trials.drop": "owner",
    "people.leave": "viewer",
}


def needed(endpoint: str, sends: bool) -> str:
    """The least role that may open a page, or send a form to it."""
    table, otherwise = (SENDS, "helper") if sends else (OPENS, "viewer")
    return table.get(endpoint) or table.get(endpoint.split(".")[0]) or otherwise


def may(role: str, endpoint: str, sends: bool = False) -> bool:
    """Whether a role may open a page, or send a form to it.

    >>> may("helper", "tray.count", sends=True), may("helper", "room.room"), may("viewer", "tray.count", sends=True)
    (True, False, False)
    """
    return RANK[role] >= RANK[needed(endpoint, sends)]
