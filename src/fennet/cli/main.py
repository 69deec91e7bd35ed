"""The commands. Each imports what it needs when it runs. Exit status: 0 done, 1 the answer is no, 2 bad usage or bad input."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import Any

import click

from fennet.cli.refused import Refused

#: What a score may be of: the option, what it counts, and the module and function that has it.
SCORES = {
    "why": ("findings instead: N drawn trays of each half", "score_why", "score_why"),
    "mats": ("mat settings instead: N drawn mats of each half", "score_tune", "score_tune"),
    "lamps": ("lamp settings instead: N drawn shelves of each half", "score_lamps", "print_lamps"),
    "grown": ("long thin, fallen and odd seedlings: N of each half", "score_grown", "print_grown"),
    "water": ("waterings foretold: N drawn trays of each half", "score_water", "print_water"),
    "harden": ("outings against fixed recipes: N springs of each half in each climate", "score_harden", "score_harden"),
    "house": ("forecasts without a thermometer: N rooms of each half", "score_house", "score_house"),
    "years": ("what three seasons of one house are worth: N houses", "score_years", "print_years"),
    "room": ("what a room's own past is worth: N rooms of three springs", "score_room", "print_room"),
    "gate": ("the planting-out gate against hindsight: N springs of each half in each climate", "score_gate", "score_gate"),
}
at_option = click.option("--at", metavar="TIME", help="the moment asked about; else the latest of the record")
batch_option = click.option("--batch", metavar="ID", help="one batch alone")
port_option = click.option("--port", type=int, help="the port to serve on")
garden_option = click.option("--garden", metavar="NAME", help="the garden meant")
demo_option = click.option("--demo", is_flag=True, help="the demo's database instead of your own")


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
def cli() -> None:
    """Fennet: the instrument a home grow-room lacks."""


@cli.command()
@port_option
@click.option("--fresh", is_flag=True, help="rebuild the demo season")
def demo(port: int | None, fresh: bool) -> int:
    """The demo season, served on loopback."""
    from fennet.launch.serve import serve

    return serve(demo=True, port=port, fresh=fresh, lan=False)


@cli.command()
@port_option
@click.option("--lan", is_flag=True, help="let other devices of the home network reach it")
def run(port: int | None, lan: bool) -> int:
    """The same server for your own data."""
    from fennet.launch.serve import serve

    return serve(demo=False, port=port, fresh=False, lan=lan)


@cli.command()
@click.argument("journal")
@at_option
@batch_option
def forecast(journal: str, at: str | None, batch: str | None) -> int:
    """Emergence forecast of a journal, as JSON."""
    from fennet.cli.forecast import forecast

    return forecast(journal, at, batch)


@cli.command()
@click.argument("journal")
@at_option
@batch_option
def harden(journal: str, at: str | None, batch: str | None) -> int:
    """Outings and the planting-out gate of a journal's batches, as JSON."""
    from fennet.cli.harden import harden

    return harden(journal, at, batch)


@cli.command()
@click.argument("journal")
@at_option
@batch_option
def diagnose(journal: str, at: str | None, batch: str | None) -> int:
    """What is wrong with the batches of a journal and why, as JSON."""
    from fennet.cli.diagnose import diagnose

    return diagnose(journal, at, batch)


@cli.command()
@click.argument("journal")
@at_option
def tune(journal: str, at: str | None) -> int:
    """What to set the mats and lamps of a journal to, as JSON."""
    from fennet.cli.tune import tune

    return tune(journal, at)


@cli.command()
@click.argument("journal")
@at_option
@click.option("--ics", is_flag=True, help="as iCalendar")
def plan(journal: str, at: str | None, ics: bool) -> int:
    """Sowing plan of a journal's wants, as JSON."""
    from fennet.cli.plan import plan

    return plan(journal, at, ics)


@cli.command(context_settings={"ignore_unknown_options": True})
@click.argument("name", required=False)
@click.option("--response", metavar="CROP", help="days to half emerged of a crop at the constant soil temperatures given, °C")
@click.option("--share", metavar="CROP", help="share (0–1) of a crop's live seed expected to come there")
@click.argument("temperatures", nargs=-1)
def crops(name: str | None, response: str | None, share: str | None, temperatures: tuple[str, ...]) -> int:
    """The crop table, one crop with every figure, or its response to temperatures."""
    from fennet.cli.crops import crops

    given = [*([name] if name else []), *temperatures]
    if response is None and share is None:
        return crops(" ".join(given) or None, None, None)
    return crops(None, [response, *given] if response else None, [share, *given] if share and not response else None)


@cli.command(name="import")
@click.argument("file")
@garden_option
@demo_option
def take(file: str, garden: str | None, demo: bool) -> int:
    """A whole journal in, or a CSV of wants, seed, sowings or nights."""
    from fennet.cli.exchange import take

    return take(file, garden, demo)


@cli.command(name="export")
@click.argument("file", required=False)
@garden_option
@demo_option
def give(file: str | None, garden: str | None, demo: bool) -> int:
    """A whole journal out."""
    from fennet.cli.exchange import give

    return give(file, garden, demo)


@cli.command()
@click.option("--seed", type=int, default=1)
@click.option("--days", type=int, default=30)
@click.option("--batches", type=int, default=6)
@click.option("--out", metavar="FILE")
@click.option("--demo", is_flag=True, help="the demo's own story instead of a drawn room")
@click.option("--end", metavar="TIME", help="when the record ends")
@click.option("--feed", metavar="ADDRESS", help="post to a running server instead, with the token of FENNET_DEVICE_TOKEN")
@click.option("--name", default="probe", help="the device's name, as the page Devices has it")
@click.option("--speed", type=float, default=0.0, help="how many times quicker than the clock; 0 as fast as it goes")
@click.option("--faults", default="", metavar="LIST", help="repeats, late, garbage, breaks; with commas")
def simulate(feed: str | None, name: str, speed: float, faults: str, **asked: Any) -> int:
    """The simulated room writes a journal, or feeds a running server as a logger would."""
    from fennet.cli import simulate as command

    if feed is not None:
        return command.feed(feed, name, asked["seed"], asked["days"], speed, faults)
    return command.simulate(**asked)


@cli.command()
@click.option("--rows", type=int, default=1_000_000, help="readings in the import benchmark")
def bench(rows: int) -> int:
    """The benchmarks, as ratios against their limits."""
    from fennet.cli.bench import bench

    return bench(rows)


@cli.command()
@click.option("--rooms", type=int, default=60)
def score(rooms: int, **of: int | None) -> int:
    """How well forecasts and findings do over simulated rooms whose truth is known."""
    from importlib import import_module

    for name, n in of.items():
        if n is not None:
            _, module, function = SCORES[name]
            return int(getattr(import_module(f"fennet.cli.{module}"), function)(n))
    from fennet.cli.score import score

    return score(rooms)


for _name, (_words, _, _) in SCORES.items():
    score.params.append(click.Option([f"--{_name}"], type=int, metavar="N", help=_words))


passphrase_option = click.option("--passphrase-file", metavar="FILE", help="a text file whose first line is the passphrase")


@cli.command()
@click.argument("file")
@passphrase_option
@demo_option
def backup(file: str, passphrase_file: str | None, demo: bool) -> int:
    """Everything into one file, photos included, read back after writing."""
    from fennet.cli.upkeep import backup

    return backup(file, passphrase_file, demo)


@cli.command()
@click.argument("file")
@click.option("--dry-run", is_flag=True, help="say what would change, and change nothing")
@passphrase_option
@demo_option
def restore(file: str, dry_run: bool, passphrase_file: str | None, demo: bool) -> int:
    """A backup in the place of all that is here."""
    from fennet.cli.upkeep import restore

    return restore(file, dry_run, passphrase_file, demo)


@cli.command()
@click.argument("journal")
@click.option("--by", required=True, help="variety, lot, lamp, mat, mix, depth, practice or year")
@click.option("--crop", help="one kind alone")
@at_option
def compare(journal: str, by: str, crop: str | None, at: str | None) -> int:
    """Batches side by side, at the warmth each really had, as JSON."""
    from fennet.cli.compare import compare

    return compare(journal, by, at, crop)


@cli.command()
@click.argument("journal")
@at_option
def learned(journal: str, at: str | None) -> int:
    """What a garden has learned of its own past, as JSON."""
    from fennet.cli.learned import learned

    return learned(journal, at)


@cli.command()
@click.argument("garden")
@click.option("--before", required=True, help="the first of a month over a year ago, like 2024-01-01")
@click.option("--dry-run", is_flag=True, help="say what would go, and change nothing")
@demo_option
def thin(garden: str, before: str, dry_run: bool, demo: bool) -> int:
    """What loggers of GARDEN read by the minute, kept by the hour from then back."""
    from fennet.cli.upkeep import thin

    return thin(garden, before, dry_run, demo)


@cli.command()
@demo_option
def doctor(demo: bool) -> int:
    """What is wrong with disk, database, versions, clock, backups and permissions, and how to mend it."""
    from fennet.cli.upkeep import doctor

    return doctor(demo)


@cli.command()
@click.argument("name")
@demo_option
def password(name: str, demo: bool) -> int:
    """A new password for a person, for whoever sits at this machine."""
    from fennet.cli.upkeep import password

    return password(name, demo)


def main(argv: Sequence[str]) -> int:
    """Run one command; returns the exit status."""
    try:
        if not argv:
            raise Refused("no command given; accepted: see ./fennet --help")
        return int(cli.main(list(argv), prog_name="./fennet", standalone_mode=False) or 0)
    except click.UsageError as e:
        where = e.ctx.command_path if e.ctx is not None else "./fennet"
        print(f"fennet: {e.format_message().rstrip('.')}; accepted: see {where} --help", file=sys.stderr)
        return 2
    except click.ClickException as e:
        print(f"fennet: {e.format_message()}", file=sys.stderr)
        return 2
    except (click.Abort, BrokenPipeError):
        return 0
