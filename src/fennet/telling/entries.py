"""One entry of the record in words, for lists of what was done lately."""

from __future__ import annotations

from fennet.core.records import Event
from fennet.telling.speech import Speech


def entry_words(e: Event, say: Speech) -> str:
    """What was done or seen, shortly: "cover on", "3 cells of leek-1 up"."""
    f = e.fields
    if e.kind == "count":
        n, what = next((f[k], k) for k in ("cells_up", "seedlings_up", "rooted") if k in f)
        return (
            f"{n} {what.removesuffix('_up').replace('rooted', 'seeds')} of {f['batch']} {'rooted' if what == 'rooted' else 'up'}"
        )
    if e.kind == "cover":
        return {True: "cover on", False: "cover off"}.get(f["on"], "cover vented")
    if e.kind == "mat":
        at = f", set to {say.temperature(f['setpoint_c'])}" if "setpoint_c" in f else ""
        return f"off {f['mat']}" if f.get("on") is False else f"on {f['mat']}{at}" if f.get("tray") else f"{f['mat']}{at}"
    if e.kind == "placed":
        return f"placed on {f['place']}"
    if e.kind == "watered":
        amount = f" {say.number(f['ml'], 0)} ml" if "ml" in f else ""
        return f"watered{amount}{' from ' + f['how'] if f.get('how') in ('above', 'below') else ''}"
    if e.kind == "gave_up":
        return f"gave up on {f['batch']}"
    if e.kind == "note":
        return str(f["text"])
    subject = f.get("batch") or f.get("tray") or ""
    return f"{e.kind.replace('_', ' ')} {subject}".strip()
