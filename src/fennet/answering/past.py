"""Questions about what has been: stories, seasons, trials, comparisons, and what all of it taught."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from fennet.answering.asked import Asked
from fennet.core.comparing.comparison import Comparison, compare
from fennet.core.forecast import Forecast
from fennet.core.learning.garden import survives
from fennet.core.learning.habits import Habit, habits
from fennet.core.learning.lessons import variety_key
from fennet.core.learning.overview import Line, YearLine, lines, years
from fennet.core.learning.room_overview import RoomLine, room_lines
from fennet.core.next_season import Advice, advice
from fennet.core.planning.drafts import lot_for
from fennet.core.planning.results import results_of
from fennet.core.records import Batch, Want
from fennet.core.season import SeasonNumbers, season_numbers
from fennet.core.seed import USUAL_RATE
from fennet.core.stock import seeds_left
from fennet.core.story import Story, story_of
from fennet.core.trials.power import Needed, cells_needed
from fennet.core.trials.result import Result, result_of
from fennet.core.trials.trial import Trial
from fennet.core.tuning.mats import MatSetting
from fennet.core.tuning.places import Exchange
from fennet.core.variety_notes import VarietyNotes, variety_notes
from fennet.journal.learned import corrections_of
from fennet.journal.trials import trials_of

#: Habits are of so long.
HABITS_OF_S = 2 * 366 * 86_400.0


class PastAnswers(Asked):
    """Answers about what has been."""

    def forecast(self, batch: Batch, curves: bool = False) -> Forecast | None:
        """When a batch comes up and whether it is late; None while it is not sown."""
        raise NotImplementedError

    def mats(self) -> tuple[list[MatSetting], list[Exchange]]:
        """A setting for every mat in use, and what exchanges of places would gain."""
        raise NotImplementedError

    def learned_lines(self) -> list[Line]:
        """All that was learned of each kind and variety, with what it rests on."""
        return lines(self.learned, {c.id: c for c in self.crops.values()})

    def learned_years(self) -> list[YearLine]:
        """How each year was against the others."""
        return years(self.learned)

    def room_lines(self) -> list[RoomLine]:
        """What trays, mats and lamps showed of themselves, in months past and of late."""
        return room_lines(self.room_learned[0], self.journal, self.events, self.mats()[0], self.at_s)

    def habits(self) -> list[Habit]:
        """How often people here water and count, of the last two years."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        forgotten_s = [t for c in corrections_of(self.journal) if (t := c.forgets_room("habit", "")) is not None]
        from_s = max([at_s - HABITS_OF_S, *forgotten_s])
        return self._answer("habits", part, lambda: habits(self.journal.batches, self.events, from_s, at_s))

    def story(self, batch: Batch) -> Story | None:
        """What became of a batch from sowing until now; None while it is not sown."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        return None if batch.sown_at.timestamp() > at_s else story_of(self.journal, batch, self.events, at_s)

    def sown_years(self) -> list[int]:
        """The years something was sown in, the latest first."""
        return sorted({b.sown_at.astimezone(self.zone).year for b in self.journal.batches if b.sown_at.timestamp() <= self.at_s},
                      reverse=True)  # fmt: skip

    def season(self, year: int) -> SeasonNumbers:
        """A year's season in numbers, as far as it has come."""
        part = self.record.garden()
        at_s = self.moment_s(part)

        def made() -> SeasonNumbers:
            # Those of the years beside it may have been inside with them.
            near = [b for b in self.journal.batches if abs(b.sown_at.astimezone(self.zone).year - year) <= 1]
            stories = {b.id: s for b in near if b.crop in self.crops and (s := self.story(b)) is not None}
            return season_numbers(self.journal, self.events, year, at_s, stories, self.forecast)

        return self._answer("season", part, made, year)

    def variety_notes(self, crop: str, variety: str | None) -> VarietyNotes:
        """What this garden's past says of a variety of a crop (its id), for who plans or sows it again."""
        part = self.record.garden()

        def made() -> VarietyNotes:
            kin = [b for b in self.journal.batches if b.crop in self.crops and self.crops[b.crop].id == crop]
            stories = {b.id: s for b in kin if (s := self.story(b)) is not None}
            known = replace(self.journal, batches=[replace(b, crop=crop) for b in kin])
            causes = {b.id: cause for b in kin if b.id in stories and stories[b.id].over and (cause := self._cause(b))}
            return variety_notes(known, self.events, crop, variety, self.learned_lines(), stories, causes)

        return self._answer("variety_notes", part, made, crop, variety)

    def season_advice(self, want: Want) -> Advice:
        """What to do with a want next season, by what came of it. Raises UnknownCrop."""
        crop = self.table.get(want.crop)
        notes = self.variety_notes(crop.id, want.variety)
        result = results_of(want, self.journal, self.events, self.at_s)
        out_s = [self._planted_s[b] for b in result.batches if b in self._planted_s]
        planted_on = datetime.fromtimestamp(max(out_s), self.zone).date() if out_s else None
        today = datetime.fromtimestamp(self.at_s, self.zone).date()
        left = seeds_left(self.journal, self.at_s)
        lot = lot_for(want, crop, self.journal.seed_lots, left)
        alive = self.seed_of(lot, today).mean if lot is not None else None
        better = self._better(crop.id, want.variety) if want.variety else None
        return advice(want, result, notes, better, planted_on, left.get(lot.id) if lot is not None else None, alive)

    def _better(self, crop: str, variety: str | None) -> str | None:
        """The variety of a kind that both tasted best and gave most here, where that is another one and all have both figures."""
        lots = {x.id: x.variety for x in self.journal.seed_lots}
        kin = [b for b in self.journal.batches if b.crop in self.crops and self.crops[b.crop].id == crop]
        names = {variety_key(v): v for b in kin if (v := b.variety or lots.get(b.seed_lot or ""))}
        for key, name in sorted(names.items()):
            did = self.variety_notes(crop, name).did
            if key != variety_key(variety) and did is not None and (did.taste_rank, did.grams_rank) == (1, 1):
                mine = self.variety_notes(crop, variety).did
                if mine is not None and mine.taste_rank > 1 and mine.grams_rank > 1:
                    return name
        return None

    def _cause(self, batch: Batch) -> str:
        """What most of a batch's delay, or its missing seed, is laid to; empty where nothing stands out."""
        f = self.forecast(batch)
        late = {c: d for c, d in (f.delay_days if f is not None else {}).items() if c != "unexplained" and d >= 1.0}
        return max(late, key=lambda c: late[c], default="")

    def comparison(self, by: str, crop: str | None = None) -> Comparison:
        """Batches of one kind side by side by what they share; `crop` one kind alone, by its id. Raises ValueError."""
        part = self.record.garden()
        at_s = self.moment_s(part)
        # Readings bear on it, so that it is worked out for the whole record.
        return compare(self.journal, self.crops, self.events, by, at_s, crop)

    def trials(self) -> list[Result]:
        """What each trial says so far, the latest first."""
        part = self.record.garden()
        at_s = self.moment_s(part)

        def made() -> list[Result]:
            asked = [t for t in trials_of(self.journal) if t.crop in {c.id for c in self.crops.values()} or t.crop in self.crops]
            return [result_of(t, self.journal, self.crops, self.events, at_s) for t in asked]

        return self._answer("trials", part, made)

    def cells_needed(self, trial: Trial) -> Needed | None:
        """How many cells a trial's groups need to show the difference that matters, by what is known of the crop here; None where
        nobody said what matters, or of yield and taste. Raises UnknownCrop, ValueError."""
        if trial.see is None or trial.measure in ("yield", "taste"):
            return None
        crop = self.learned.crop_here(self.table.get(trial.crop), None, None, self.sown_years()[0] if self.sown_years() else 2000)
        usual_d = 1.0 / max(float(crop.response.rate_per_day(crop.target_soil_c)), 1e-3)
        share = survives(crop) if trial.measure == "lived" else USUAL_RATE
        return cells_needed(trial.measure, trial.see, usual_d, crop.wait_sigma, share, trial.cells)
