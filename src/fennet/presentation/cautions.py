"""The cautions that stand at an act, in a line each."""

from __future__ import annotations

CAUTION_WORDS: dict[str, str] = {
    "water_wired": "Plugs and strips above and away from the trays, dry hands; do not mist towards them.",
    "overflow": "Stand it in a pan that can hold all of the water, away from plugs: a tray left to soak can run over.",
    "scissors": "Scissors cut fingers too: keep them from children.",
    "glass": "Glass covers break and cut: lift with both hands, none where children play.",
    "poles": "Cap the tops of stakes and canes: they stand at eye height.",
    "mix_dust": "Damp the mix before you handle it, wear gloves, do not breathe the dust.",
    "mould": "Mould and compost: gloves, do not breathe the dust, wash your hands after.",
    "mat": "Flat on what cannot burn, the probe fixed in the mix; the maker’s limits come first.",
    "lamp": "Unplug before you move it; never nearer than the maker’s distance; do not look into the lamp.",
    "feed": "Follow the label; keep feed from children and pets, never in drink bottles.",
    "hot_water": "Hot water scalds: measure it with a thermometer, pour away from yourself.",
    "blade": "A blade or file slips: hold the seed in pliers, not between your fingers.",
    "food_box": "A box or bag that held seed is not used for food again.",
}
