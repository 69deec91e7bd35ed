"""Plan: the season ahead against the room, and what a sowing day needs."""

from flask import Blueprint

from fennet.web.plan import calendars, days, frost, handlers, labels, mix, versions, wants

blueprint = Blueprint("plan", __name__)
base = "/g/<slug>/plan"
blueprint.add_url_rule(base, "plan", handlers.plan)
blueprint.add_url_rule(f"{base}.csv", "export", handlers.export)
blueprint.add_url_rule(f"{base}.ics", "file", calendars.file)
blueprint.add_url_rule(f"{base}/move", "move", handlers.move, methods=["POST"])
blueprint.add_url_rule(f"{base}/room", "assume", handlers.assume, methods=["POST"])
blueprint.add_url_rule(f"{base}/wants", "want", wants.want, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/wants/<int(max=2147483647):position>", "want", wants.want, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/wants/<int(max=2147483647):position>/drop", "drop_want", wants.drop, methods=["POST"])
blueprint.add_url_rule(f"{base}/wants/file", "wants_file", wants.from_file, methods=["POST"])
blueprint.add_url_rule(f"{base}/versions", "versions", versions.versions, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/poster", "poster", handlers.poster)
blueprint.add_url_rule(f"{base}/compare", "compare", versions.compare)
blueprint.add_url_rule(f"{base}/season", "season", versions.season, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/frost", "frost", frost.frost, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/mix", "mix", mix.mix, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/days/<day>", "day", days.day, methods=["GET", "POST"])
blueprint.add_url_rule(f"{base}/labels", "labels", labels.labels)
blueprint.add_url_rule(f"{base}/labels/<sheet>.css", "labels_css", labels.page_css)
blueprint.add_url_rule(f"{base}/calendar", "calendar", calendars.calendar, methods=["GET", "POST"])
blueprint.add_url_rule("/g/<slug>/b/<batch_id>", "batch", labels.batch)
blueprint.add_url_rule("/g/<slug>/s/<want>/<key>", "planned", labels.planned)
blueprint.add_url_rule("/calendar/<token>.ics", "feed", calendars.feed)
