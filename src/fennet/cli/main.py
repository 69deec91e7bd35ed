"""Parse the command line and hand over. Exit status: 0 done, 1 the answer is no, 2 bad usage or bad input."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from typing import NoReturn

NOT_BUILT = {
    "backup": "a copy of everything",
    "restore": "the way back from a backup",
}


class Refused(Exception):
    """Bad usage or bad input, told on one line."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise Refused(f"{message}; accepted: ./fennet {self.prog.removeprefix('fennet').strip() or 'COMMAND'} --help")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="fennet", description="Fennet: the instrument a home grow-room lacks.")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    demo = commands.add_parser("demo", help="the demo season, served on loopback")
    demo.add_argument("--port", type=int, default=None)
    demo.add_argument("--fresh", action="store_true", help="rebuild the demo season")
    run = commands.add_parser("run", help="the same server for your own data")
    run.add_argument("--port", type=int, default=None)
    run.add_argument("--lan", action="store_true", help="let other devices of the home network reach it")

    forecast = commands.add_parser("forecast", help="emergence forecast of a journal, as JSON")
    forecast.add_argument("journal")
    forecast.add_argument("--at", default=None, metavar="TIME")
    forecast.add_argument("--batch", default=None, metavar="ID")

    diagnose = commands.add_parser("diagnose", help="what is wrong with the batches of a journal and why, as JSON")
    diagnose.add_argument("journal")
    diagnose.add_argument("--at", default=None, metavar="TIME")
    diagnose.add_argument("--batch", default=None, metavar="ID")

    tune = commands.add_parser("tune", help="what to set the mats and lamps of a journal to, as JSON")
    tune.add_argument("journal")
    tune.add_argument("--at", default=None, metavar="TIME")

    plan = commands.add_parser("plan", help="sowing plan of a journal's wants, as JSON")
    plan.add_argument("journal")
    plan.add_argument("--at", default=None, metavar="TIME")
    plan.add_argument("--ics", action="store_true", help="as iCalendar")

    crops = commands.add_parser("crops", help="the crop table")
    crops.add_argument("name", nargs="?")
    crops.add_argument(
        "--response", nargs="+", metavar=("NAME", "T"), help="days to half emerged at constant soil temperatures T in °C"
    )

    take = commands.add_parser("import", help="a whole journal in")
    take.add_argument("file")
    take.add_argument("--garden", default=None, help="name of the garden to fill")
    give = commands.add_parser("export", help="a whole journal out")
    give.add_argument("file", nargs="?")
    give.add_argument("--garden", default=None)
    for sub in (take, give):
        sub.add_argument("--demo", action="store_true", help="the demo's database instead of your own")

    simulate = commands.add_parser("simulate", help="the simulated room writes a journal")
    simulate.add_argument("--seed", type=int, default=1)
    simulate.add_argument("--days", type=int, default=30)
    simulate.add_argument("--batches", type=int, default=6)
    simulate.add_argument("--out", default=None, metavar="FILE")
    simulate.add_argument("--demo", action="store_true", help="the demo's own story instead of a drawn room")
    simulate.add_argument("--end", default=None, metavar="TIME", help="when the record ends")

    bench = commands.add_parser("bench", help="the benchmarks, as ratios against their limits")
    bench.add_argument("--rows", type=int, default=1_000_000, help="readings in the import benchmark")
    score = commands.add_parser("score", help="how well forecasts and findings do over simulated rooms whose truth is known")
    score.add_argument("--rooms", type=int, default=60)
    score.add_argument("--why", type=int, default=None, metavar="N", help="findings instead: N drawn trays of each half")
    score.add_argument("--mats", type=int, default=None, metavar="N", help="mat settings instead: N drawn mats of each half")
    score.add_argument("--lamps", type=int, default=None, metavar="N", help="lamp settings instead: N drawn shelves of each half")
    score.add_argument("--grown", type=int, default=None, metavar="N", help="long thin, fallen and odd seedlings: N of each half")
    score.add_argument("--water", type=int, default=None, metavar="N", help="waterings foretold: N drawn trays of each half")
    for name, what in NOT_BUILT.items():
        commands.add_parser(name, help=f"{what} (not built yet)", add_help=False).add_argument("rest", nargs="*")
    return parser


def main(argv: Sequence[str]) -> int:
    """Run one command; returns the exit status."""
    try:
        if argv and argv[0] in NOT_BUILT:
            raise Refused(f"{argv[0]}: not built yet ({NOT_BUILT[argv[0]]}); accepted: see ./fennet --help")
        arguments = _parser().parse_args(list(argv))
        if not arguments.command:
            raise Refused("no command given; accepted: see ./fennet --help")
        return _dispatch(arguments)
    except Refused as e:
        print(f"fennet: {e}", file=sys.stderr)
        return 2
    except BrokenPipeError:
        return 0


def _dispatch(a: argparse.Namespace) -> int:
    if a.command == "crops":
        from fennet.cli.crops import crops

        return crops(a.name, a.response)
    if a.command == "forecast":
        from fennet.cli.forecast import forecast

        return forecast(a.journal, a.at, a.batch)
    if a.command == "diagnose":
        from fennet.cli.diagnose import diagnose

        return diagnose(a.journal, a.at, a.batch)
    if a.command == "tune":
        from fennet.cli.tune import tune

        return tune(a.journal, a.at)
    if a.command == "plan":
        from fennet.cli.plan import plan

        return plan(a.journal, a.at, a.ics)
    if a.command == "simulate":
        from fennet.cli.simulate import simulate

        return simulate(a)
    if a.command == "score":
        if a.why is not None:
            from fennet.cli.score_why import score_why

            return score_why(a.why)
        if a.mats is not None:
            from fennet.cli.score_tune import score_tune

            return score_tune(a.mats)
        if a.lamps is not None:
            from fennet.cli.score_lamps import print_lamps

            return print_lamps(a.lamps)
        if a.grown is not None:
            from fennet.cli.score_grown import print_grown

            return print_grown(a.grown)
        if a.water is not None:
            from fennet.cli.score_water import print_water

            return print_water(a.water)
        from fennet.cli.score import score

        return score(a.rooms)
    if a.command in ("import", "export"):
        from fennet.cli import exchange

        return exchange.take(a.file, a.garden, a.demo) if a.command == "import" else exchange.give(a.file, a.garden, a.demo)
    if a.command == "bench":
        from fennet.cli.bench import bench

        return bench(a.rows)
    from fennet.launch.serve import serve

    return serve(demo=a.command == "demo", port=a.port, fresh=getattr(a, "fresh", False), lan=getattr(a, "lan", False))
