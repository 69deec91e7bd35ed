"""Own drawings of signs and of what a look may show: paths on a square of 64, each with the class that inks it."""

# ruff: noqa: E501 — a drawing is one line of path data, not prose

from __future__ import annotations

Path = tuple[str, str]

SOIL: Path = ("ground", "M5 52H59")
STEM: Path = ("stem", "M32 52V34")
LEFT, RIGHT = "M32 34C23 34 17 29 15 22C24 22 31 26 32 34Z", "M32 34C41 34 47 29 49 22C40 22 33 26 32 34Z"
LEAVES: list[Path] = [("leaf", LEFT), ("leaf", RIGHT)]
PLANT: list[Path] = [SOIL, STEM, *LEAVES]
TALL: list[Path] = [
    SOIL, ("stem", "M32 52V16"), ("leaf", "M32 22C25 22 20 18 19 12C26 12 31 16 32 22Z"),
    ("leaf", "M32 22C39 22 44 18 45 12C38 12 33 16 32 22Z"),
]  # fmt: skip
LOW_LEFT, LOW_RIGHT = "M32 42C24 44 17 41 14 35C22 33 30 36 32 42Z", "M32 42C40 44 47 41 50 35C42 33 34 36 32 42Z"
DROOP: list[Path] = [
    SOIL,
    STEM,
    ("leaf", "M32 34C24 32 17 36 15 46C23 46 30 42 32 34Z"),
    ("leaf", "M32 34C40 32 47 36 49 46C41 46 34 42 32 34Z"),
]
POT: Path = ("line", "M18 24H46L42 58H22Z")

#: Each sign a grower can log.
SIGNS: dict[str, list[Path]] = {
    "nothing_up": [SOIL, ("seed", "M29 58a3 2.4 0 1 0 6 0a3 2.4 0 1 0-6 0")],
    "patchy": [SOIL, ("stem", "M14 52V42M50 52V42"), ("leaf", "M14 42C9 42 6 39 5 35C10 35 14 38 14 42ZM14 42C19 42 22 39 23 35C18 35 14 38 14 42Z"),
               ("leaf", "M50 42C45 42 42 39 41 35C46 35 50 38 50 42ZM50 42C55 42 58 39 59 35C54 35 50 38 50 42Z"), ("seed", "M29 58a3 2.4 0 1 0 6 0a3 2.4 0 1 0-6 0")],
    "seed_on_top": [SOIL, ("seed", "M26 48a6 4 0 1 0 12 0a6 4 0 1 0-12 0"), ("stem", "M37 49C42 50 43 53 41 57")],
    "coat_stuck": [SOIL, ("stem", "M32 52V28"), ("seed", "M25 28C25 18 39 18 39 28C36 31 28 31 25 28Z")],
    "crust": [("ground", "M5 52H24L28 45H38L41 52H59"), ("line", "M12 52V56M20 52V55M46 52V56M54 52V55"), ("stem", "M33 52C33 49 31 48 29 49")],
    "rotted_seed": [SOIL, ("seed", "M26 58a6 4 0 1 0 12 0a6 4 0 1 0-12 0"), ("sick", "M28 61C27 63 29 63 28 61M35 61C34 63 36 63 35 61")],
    "long_thin": TALL,
    "leaning": [SOIL, ("stem", "M20 52C21 40 30 30 44 26"), ("leaf", "M44 26C43 18 46 13 52 10C54 17 51 23 44 26Z"), ("leaf", "M44 26C50 30 56 30 60 25C55 20 49 21 44 26Z")],
    "fallen_sound_base": [SOIL, ("stem", "M18 52V42C18 32 34 32 46 44"), ("leaf", "M46 44C54 42 58 45 60 51C53 52 47 50 46 44Z"), ("leaf", "M46 44C44 51 39 53 33 51C35 46 40 43 46 44Z")],
    "fallen_pinched_base": [SOIL, ("sick", "M16 52C18 50 19 50 21 49"), ("stem", "M21 49C30 44 38 44 46 47"), ("leaf", "M46 47C53 43 58 45 61 50C54 53 48 52 46 47Z"), ("sick", "M12 52H21")],
    "patch_down": [SOIL, ("stem", "M8 51L22 47M20 51L34 48M30 50L46 46M40 51L56 48"), ("sick", "M6 52H12M18 52H24M28 52H34M38 52H44")],
    "white_fluff": [SOIL, ("line", "M14 51C12 45 20 43 22 48C24 42 32 43 31 49C34 43 42 44 41 50C44 45 51 47 49 52"), ("line", "M20 46L18 41M31 45V39M42 47L45 42")],
    "green_film": [SOIL, ("film", "M6 51C14 46 20 50 27 47C34 44 42 50 48 47C52 46 56 48 58 51Z")],
    "tiny_flies": [SOIL, ("seed", "M20 36a2 2 0 1 0 4 0a2 2 0 1 0-4 0M38 24a2 2 0 1 0 4 0a2 2 0 1 0-4 0M44 40a2 2 0 1 0 4 0a2 2 0 1 0-4 0"),
                   ("line", "M20 35C15 31 16 28 21 34M24 35C29 31 28 28 23 34M38 23C33 19 34 16 39 22M42 23C47 19 46 16 41 22M44 39C39 35 40 32 45 38M48 39C53 35 52 32 47 38")],
    "yellow_lower": [SOIL, ("stem", "M32 52V26"), ("leaf", "M32 26C25 26 20 22 19 16C26 16 31 20 32 26ZM32 26C39 26 44 22 45 16C38 16 33 20 32 26Z"), ("sick", LOW_LEFT), ("sick", LOW_RIGHT)],
    "purple_under": [SOIL, STEM, ("leaf", LEFT), ("leaf", RIGHT), ("hatch", "M19 27L24 33M23 25L29 33M45 27L40 33M41 25L35 33")],
    "pale_all": [SOIL, STEM, ("pale", LEFT), ("pale", RIGHT)],
    "brown_edges": [*PLANT, ("edge", "M15 22C17 29 23 34 29 34M49 22C47 29 41 34 35 34")],
    "cupped": [SOIL, STEM, ("leaf", "M32 34C22 36 16 28 18 18C20 26 26 30 32 34Z"), ("leaf", "M32 34C42 36 48 28 46 18C44 26 38 30 32 34Z")],
    "bleached": [*PLANT, ("patch", "M19 25a3 2.5 0 1 0 6 0a3 2.5 0 1 0-6 0M40 26a3 2.5 0 1 0 6 0a3 2.5 0 1 0-6 0")],
    "wilt_wet": [*DROOP, ("drop", "M14 55C11 59 17 59 14 55M26 56C23 60 29 60 26 56M38 55C35 59 41 59 38 55M50 56C47 60 53 60 50 56")],
    "wilt_dry": [*DROOP, ("line", "M14 53L16 57L13 60M30 53L28 57L31 61M46 53L48 57L45 60")],
    "roots_circling": [POT, ("line", "M24 34C24 30 40 30 40 36C40 42 24 42 25 47C26 52 38 52 38 47C38 43 27 43 28 38"), ("line", "M28 58V62M36 58V62")],
    "stalled": [*PLANT, ("line", "M54 22V50M51 22H57M51 31H57M51 40H57M51 49H57")],
    "chewed": [SOIL, STEM, ("leaf", "M32 34C27 34 24 32 25 29C22 31 19 28 21 26C18 26 16 24 15 22C24 22 31 26 32 34Z"), ("leaf", "M32 34C41 34 40 30 43 31C42 27 46 28 49 22C40 22 33 26 32 34Z")],
    "sticky_insects": [*PLANT, ("seed", "M20 25a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0M25 28a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0M40 26a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0M31 41a1.6 1.6 0 1 0 3.2 0a1.6 1.6 0 1 0-3.2 0")],
    "early_stalk": [SOIL, ("stem", "M32 52V10"), ("leaf", LEFT), ("leaf", RIGHT), ("bloom", "M32 10m-5 0a5 5 0 1 0 10 0a5 5 0 1 0-10 0M26 16a3 3 0 1 0 6 0a3 3 0 1 0-6 0M32 17a3 3 0 1 0 6 0a3 3 0 1 0-6 0")],
}  # fmt: skip

LAMP: Path = ("lamp", "M12 8H52V13H12Z")


def _under(gap: int) -> list[Path]:
    """A plant with a lamp so far over it, and the gap drawn as a dimension."""
    top = 22 - gap
    return [*PLANT, ("lamp", f"M14 {top - 4}H50V{top}H14Z"), ("line", f"M56 {top}V22M53 {top}H59M53 22H59")]


def _mix(level: int, drops: bool = False) -> list[Path]:
    """A pot with its mix dark up to a level."""
    dark: Path = ("film", f"M{22 - level * 0.04:.1f} {56 - level}H{42 + level * 0.04:.1f}L42 57H22Z")
    return [POT, dark, *([("drop", "M26 20C23 24 29 24 26 20M38 19C35 23 41 23 38 19")] if drops else [])]


def _root(cls: str) -> list[Path]:
    return [
        ("ground", "M14 20H50"),
        ("stem", "M32 20V10"),
        (cls, "M32 20V40M32 26C27 30 25 36 24 44M32 28C37 32 39 38 41 46M32 40C30 46 30 50 29 56M32 40C35 46 36 50 37 56"),
    ]


#: What a look may show, by witness and outcome; where a sign's drawing says it, that is used.
OUTCOMES: dict[tuple[str, str], list[Path]] = {
    ("stem_base", "pinched"): SIGNS["fallen_pinched_base"], ("stem_base", "sound"): SIGNS["fallen_sound_base"],
    ("stem_base", "not_fallen"): PLANT, ("went_down", "in_a_patch"): SIGNS["patch_down"],
    ("went_down", "one_by_one"): SIGNS["fallen_pinched_base"], ("went_down", "none"): PLANT, ("stems", "sturdy"): PLANT,
    ("stems", "long_thin"): TALL, ("leans", "upright"): PLANT, ("leans", "to_one_side"): SIGNS["leaning"],
    ("wet_top", "clean"): PLANT, ("wet_top", "green_or_fluff"): SIGNS["green_film"], ("lamp_gap", "near"): _under(6),
    ("lamp_gap", "middling"): _under(11), ("lamp_gap", "far"): _under(16), ("under_lamp", "near"): _under(3),
    ("under_lamp", "middling"): _under(8), ("under_lamp", "far"): _under(15), ("mix_feel", "dust_dry"): _mix(4),
    ("mix_feel", "pale_top"): _mix(14), ("mix_feel", "even"): _mix(22), ("mix_feel", "dark"): _mix(30),
    ("mix_feel", "standing"): _mix(32, True), ("roots", "white"): _root("line"), ("roots", "brown_soft"): _root("sick"),
    ("roots", "circling"): SIGNS["roots_circling"], ("leaf_backs", "clean"): PLANT,
    ("leaf_backs", "insects"): SIGNS["sticky_insects"], ("new_leaves", "green"): PLANT, ("new_leaves", "pale_too"): SIGNS["pale_all"],
    ("new_leaves", "marked"): SIGNS["brown_edges"], ("packet_says", "green_kind"): PLANT,
    ("packet_says", "coloured_kind"): SIGNS["purple_under"], ("dug_seed", "firm"): SIGNS["nothing_up"],
    ("dug_seed", "soft"): SIGNS["rotted_seed"], ("dug_seed", "sprouting"): SIGNS["seed_on_top"], ("mix_top", "crust"): SIGNS["crust"],
    ("seed_depth", "on_top"): SIGNS["seed_on_top"], ("leaves_touch", "apart"): SIGNS["patchy"][:3],
    ("leaves_touch", "touching"): [*PLANT, ("leaf", "M20 36C13 36 9 32 8 27C14 27 19 31 20 36ZM44 36C51 36 55 32 56 27C50 27 45 31 44 36Z"), ("stem", "M20 52V36M44 52V36")],
    ("cover_stayed", "stayed_on"): [*PLANT, ("line", "M8 52C8 8 56 8 56 52")], ("cover_stayed", "came_off"): PLANT,
    ("air_moves", "still"): [*PLANT, ("line", "M54 8V26")], ("air_moves", "moves"): [*PLANT, ("line", "M54 8C54 14 46 16 42 22M8 14H20M6 20H16")],
    ("went_out", "in_sun"): [*PLANT, ("line", "M48 12a5 5 0 1 0 10 0a5 5 0 1 0-10 0M53 3V5M53 19V21M44 12H46M60 12H62")],
    ("went_out", "in_wind"): [*PLANT, ("line", "M4 12H22C27 12 27 6 22 6M4 18H30C35 18 35 24 30 24")],
    ("went_out", "in_cold"): [*PLANT, ("line", "M52 6V22M45 10L59 18M59 10L45 18")], ("went_out", "stayed_in"): [*PLANT, ("line", "M6 22L32 4L58 22")],
}  # fmt: skip
#: The picker's groups: what shows as it comes up, in stems, in leaves, in roots and mix and small animals.
GROUPS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("Coming up", ("nothing_up", "patchy", "seed_on_top", "coat_stuck", "crust", "rotted_seed")),
    ("Stems", ("long_thin", "leaning", "fallen_sound_base", "fallen_pinched_base", "patch_down", "early_stalk", "stalled")),
    ("Leaves", ("yellow_lower", "purple_under", "pale_all", "brown_edges", "cupped", "bleached", "chewed", "sticky_insects")),
    ("Water and roots", ("wilt_wet", "wilt_dry", "roots_circling", "green_film", "white_fluff", "tiny_flies")),
)
