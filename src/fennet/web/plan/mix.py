"""Handlers of the mix: litres of each ingredient for a sowing day or the season."""

from __future__ import annotations

from typing import Any

from flask import flash, redirect, render_template, request, url_for

from fennet.core.mixing import mix_for, readable
from fennet.core.planning.sowing_day import to_fill
from fennet.core.targets import practice_of
from fennet.crops.recipes import shipped_recipes
from fennet.operations import planning
from fennet.operations.acting import Refusal
from fennet.telling.planning import day_words
from fennet.web import asking, record
from fennet.web.plan import answers
from fennet.web.plan.view import typed_day
from fennet.web.workings import working_view
from fennet.web.writes import write

MOST_PARTS = 8


@asking.in_garden
def mix() -> Any:
    """What to mix for a day's cells, or for the pots of the season; the garden's own recipes."""
    slug = asking.garden().slug
    if request.method == "POST":
        try:
            if request.form.get("drop"):
                write(lambda w: planning.drop_recipe(w, request.form["drop"]))
                flash("That mix is dropped.")
            else:
                write(lambda w: planning.put_recipe(w, _typed()))
                flash("The mix is kept.")
        except Refusal as e:
            flash(e.reason, "error")
            return _page(), 400
        return redirect(url_for("plan.mix", slug=slug, recipe=request.form.get("name", "")))
    return _page()


def _typed() -> dict[str, Any]:
    parts: dict[str, float] = {}
    for i in range(MOST_PARTS):
        name, text = request.form.get(f"of-{i}", "").strip(), request.form.get(f"parts-{i}", "").strip()
        if not name and not text:
            continue
        if not name or not text:
            raise Refusal(f"Line {i + 1}: an ingredient and its parts go together.", f"of-{i}", name or text)
        try:
            parts[name] = float(text.replace(",", "."))
        except ValueError:
            raise Refusal(f"{name}: {text!r} is no number of parts.", f"parts-{i}", text) from None
    return {"name": request.form.get("name", "").strip(), "parts": parts, "per_cent": bool(request.form.get("per_cent"))}


def _page() -> str:
    plan, say, journal = answers.plan(), asking.speech(), record.journal()
    own = readable(journal.recipes)
    recipes = [*own, *(r for r in shipped_recipes() if r.name not in {x.name for x in own})]
    recipe = next((r for r in recipes if r.name == request.args.get("recipe")), recipes[0])
    days = sorted({p.sow_on for p in plan.sowings if p.sow_on})
    chosen = request.args.get("for", days[0].isoformat() if days else "season")
    filling = to_fill(plan, typed_day(chosen), sown=chosen != "pots", potted=chosen in ("pots", "season"))
    firming = practice_of(asking.garden().garden)["firming"]
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
        days=[(d.isoformat(), day_words(d, say)) for d in days],
        working_view=working_view("w-mix", made.working, say),
        form=request.form,
        most=MOST_PARTS,
    )
