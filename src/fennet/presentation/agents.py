"""What a browser calls itself, in a few words that a person knows it by."""

from __future__ import annotations

_SYSTEMS = (("android", "an Android phone"), ("iphone", "an iPhone"), ("ipad", "an iPad"), ("windows", "a Windows computer"),
            ("mac os", "a Mac"), ("cros", "a Chromebook"), ("linux", "a Linux computer"))  # fmt: skip
_BROWSERS = (("firefox", "Firefox"), ("edg/", "Edge"), ("opr/", "Opera"), ("chrome", "Chrome"), ("safari", "Safari"))


def told(agent: str) -> str:
    """A browser and the device it runs on.

    >>> told("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0")
    'Firefox on a Linux computer'
    >>> told("")
    'a browser'
    """
    said = agent.lower()
    browser = next((name for mark, name in _BROWSERS if mark in said), "a browser")
    system = next((name for mark, name in _SYSTEMS if mark in said), "")
    return f"{browser} on {system}" if system else browser
