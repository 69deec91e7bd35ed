"""Handlers of the mix: litres of each ingredient for a sowing day or the season."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, url_for
from wtforms import Field

from fennet.core.mixing import mix_for, readable
from fennet.core.planning.sowing_day import to_fill
from fennet.core.targets import practice_of
from fennet.crops.recipes import shipped_recipes
from fennet.operations import recipes
from fennet.operations.acting import Refusal
from fennet.presentation.planning import day_words
from fennet.web import query, record, request_context
from fennet.web.forms import Figure, Form, Hidden, Tick, Words, made_of, submitted
from fennet.web.plan import answers
from fennet.web.workings import working_view
from fennet.web.writes import write

MOST_PARTS = 8
_FIELDS: dict[str, Field] = {
    "name": Words("Name", 80),
    "per_cent": Tick("The parts are a percentage and make a hundred"),
    "drop": Hidden(longest=80),
}
_FIELDS |= {f"of-{i}": Words(f"Ingredient {i + 1}", 60) for i in range(MOST_PARTS)}
_FIELDS |= {f"parts-{i}": Figure("Parts", 0.001, 1000) for i in range(MOST_PARTS)}
MixForm = made_of(_FIELDS)


@request_context.in_garden
def mix() -> Any:
    """What to mix for a day's cells, or for the pots of the season; the garden's own recipes."""
    form = MixForm()
    if not submitted():
        return _page(form)
    try:
        if dropped := form["drop"].data:
            write(lambda w: recipes.drop_recipe(w, dropped))
            flash("Mix deleted.")
        else:
            form.take()
            entry = _entry(form)
            write(lambda w: recipes.put_recipe(w, entry))
            flash("Mix saved.")
    except Refusal as e:
        form.tell(e)
        flash(e.reason, "error")
        return _page(form), 400
    return redirect(url_for("plan.mix", slug=request_context.garden().slug, recipe=form["name"].data or None))


def _entry(form: Form) -> dict[str, Any]:
    """A recipe as the form says it. Raises Refusal."""
    if not form["name"].data:
        raise Refusal("Give the mix a name.", "name")
    parts: dict[str, float] = {}
    for i in range(MOST_PARTS):
        name, amount = form[f"of-{i}"].data, form[f"parts-{i}"].data
        if name is None and amount is None:
            continue
        if name is None or amount is None:
            raise Refusal(f"Line {i + 1}: an ingredient and its parts go together.", f"of-{i}")
        parts[name] = amount
    return {"name": form["name"].data, "parts": parts, "per_cent": form["per_cent"].data}


def _page(form: Form) -> str:
    plan, fmt, journal = answers.plan(), request_context.formatter(), record.journal()
    own = readable(journal.recipes)
    recipes = [*own, *(r for r in shipped_recipes() if r.name not in {x.name for x in own})]
    recipe = next((r for r in recipes if r.name == query.text("recipe")), recipes[0])
    days = sorted({p.sow_on for p in plan.sowings if p.sow_on})
    chosen = query.text("for", days[0].isoformat() if days else "season", 10)
    filling = to_fill(plan, query.day(chosen), sown=chosen != "pots", potted=chosen in ("pots", "season"))
    firming = practice_of(request_context.garden().garden)["firming"]
    made = mix_for(recipe, filling.litres, firming)
    return render_template(
        "plan/mix.html",
        recipes=recipes,
        recipe=recipe,
        own={r.name for r in own},
        made=made,
        chosen=chosen,
        cells=filling.cells,
        pots=filling.pots,
        cell_ml=plan.tray.fill_ml,
        cell_known=plan.tray.cell_ml is not None,
        firming=firming.replace("_", " "),
        days=[(d.isoformat(), day_words(d, fmt)) for d in days],
        working_view=working_view("w-mix", made.working, fmt),
        form=form,
        typed=submitted(),
        most=MOST_PARTS,
    )
