"""What Fennet decides without offering a choice, each with its reason in a line."""

from __future__ import annotations

DECIDED: tuple[tuple[str, str], ...] = (
    ("Day 0 is the day seed goes into moist mix or towel", "it is when the seed begins to drink"),
    ("No lamp is lit more than 18 hours", "plants need a night; more brings little and makes some kinds bolt"),
    (
        "No mat is set over 38 °C, and none is raised while its thermometer is silent or stuck",
        "no seed needs more, and heat is never raised blindly",
    ),
    ("A lamp never hangs nearer than its maker’s distance", "leaves burn before anybody sees it"),
    (
        "Feed stops at 150 mg of nitrogen a litre, and before the first true leaf",
        "more burns, and seedlings still live on their seed",
    ),
    (
        "Old seed is sown thicker by its odds, never by habit",
        "the packet’s year, storage and your own tests say how much of it is alive",
    ),
    ("Fallen seedlings go at once with the mix around them", "there is no cure, and it travels on hands and water"),
    (
        "A kind’s own limit outranks a choice",
        "hours that would make an onion bulb or a shiso flower give way, and the page says so",
    ),
)
