"""Every word that opens a clause about a tray, a batch or a place."""

from __future__ import annotations

from collections.abc import Callable

from fennet.journal.log_line import done, measured
from fennet.journal.log_line.statement import Statement, Word

CLAUSES: dict[str, Callable[[Statement, Word], None]] = {
    "soil": measured.temperature("soil_temperature"),
    "air": measured.temperature("air_temperature"),
    "outside": measured.temperature("outdoor_temperature"),
    "moist": measured.percent("moisture"),
    "moisture": measured.percent("moisture"),
    "humid": measured.percent("humidity"),
    "humidity": measured.percent("humidity"),
    "feel": measured.feel,
    "feels": measured.feel,
    "weighs": measured.weight,
    "weight": measured.weight,
    "light": measured.light,
    "hours": measured.hours_of_light,
    "tall": measured.tall,
    "watered": done.watered,
    "water": done.watered,
    "mist": done.watered,
    "misted": done.watered,
    "fed": done.fed,
    "cover": done.cover,
    "mat": done.on_mat,
    "on": done.on_mat,
    "off": done.on_mat,
    "to": done.moved_to,
    "turned": done.turned,
    "lost": done.lost,
    "thinned": done.thinned,
    "gave": done.gave_up,
    "give": done.gave_up,
    "planted": done.planted,
    "potted": done.potted_up,
    "pinched": done.topped,
    "topped": done.topped,
    "out": done.outing,
    "in": done.came_in,
    "harvest": done.harvested,
    "harvested": done.harvested,
    "picked": done.harvested,
    "taste": done.tasted,
    "tastes": done.tasted,
    "flowers": done.flowers,
    "flowering": done.flowers,
    "health": done.health,
    "washed": done.washed,
    "saw": done.saw,
    "note": done.a_note,
}
