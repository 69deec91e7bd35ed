"""One question has one answer, whoever asks it: pages from the database, commands from the journal that it exports."""

from __future__ import annotations

import ast
import unittest
from pathlib import Path

from flask import g

from fennet.answering.answers import Answers
from fennet.core.bearing import record_at
from fennet.core.records import Journal
from fennet.core.room import tray_of
from fennet.core.targets import practice_of
from fennet.core.work.task import BatchDay
from fennet.journal.reader import open_journal, read_journal
from fennet.operations.exchange import give_journal
from fennet.storage import queries
from fennet.web import record
from tests.answering.test_parts import CASES
from tests.web.site import SiteCase

SOURCE = Path(__file__).parents[2] / "src" / "fennet"
#: What answers a question in the core: asked through `answering` and nowhere else.
QUESTIONS = {
    "fennet.core.forecast": {"forecast"}, "fennet.core.conditions": {"conditions"}, "fennet.core.care.day": {"care_day"},
    "fennet.core.diagnosis.findings": {"findings"}, "fennet.core.tuning.mats": {"tune_mats"},
    "fennet.core.tuning.lamps": {"tune_lamps"}, "fennet.core.tuning.places": {"exchanges"},
    "fennet.core.planning.plan": {"plan", "outdoors"}, "fennet.core.work.worklist": {"worklist"},
    "fennet.core.care.watering": {"watering_of"}, "fennet.core.care.leaves": {"leaves_made"},
    "fennet.core.stretch": {"thermal_age"}, "fennet.core.drying": {"dry_down"},
    "fennet.core.lighting.curve": {"lamp_curve"}, "fennet.core.scoring": {"marks"}, "fennet.core.away": {"away"},
    "fennet.journal.targets": {"own_targets"},
}  # fmt: skip
#: What holds the core to account asks it bare.
BARE = {
    "cli/bench.py",
    *(f"cli/score{of}.py" for of in ("", "_why", "_grown", "_tune", "_lamps", "_water", "_house", "_years", "_room")),
}  # fmt: skip


class OneWay(unittest.TestCase):
    def test_no_page_command_or_operation_asks_the_core_beside_the_answers(self) -> None:
        found = []
        for path in sorted(SOURCE.rglob("*.py")):
            where = path.relative_to(SOURCE).as_posix()
            if where.startswith(("core/", "answering/")) or where in BARE:
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.ImportFrom) and node.module in QUESTIONS:
                    found += [f"{where}: {n.name}" for n in node.names if n.name in QUESTIONS[node.module]]
        self.assertEqual(found, [])


class PageAndCommand(SiteCase):
    def of_the_journal(self) -> Answers:
        with self.engine.connect() as c:
            ref = queries.gardens(c)[0]
            text = "".join(give_journal(c, ref))
        return self.exactly(read_journal(open_journal(text)).with_series())

    def exactly(self, journal: Journal) -> Answers:
        now_s = self.now.timestamp()
        return Answers(record_at(journal, now_s), now_s, exactly=True)

    def test_the_pages_and_the_commands_of_the_demo_agree(self) -> None:
        command = self.of_the_journal()
        with self.app.test_request_context(), self.engine.connect() as c:
            g.garden = queries.gardens(c)[0]
            page = record.answers()
        self.assertEqual(page.at_s, command.at_s)
        for b in page.journal.batches:
            with self.subTest(b.id):
                one, other = page.forecast(b), command.forecast(b)
                assert one is not None and other is not None
                self.assertEqual((one.verdict, one.reason, one.counts), (other.verdict, other.reason, other.counts))
                if one.half_up is not None and other.half_up is not None:
                    self.assertAlmostEqual(one.half_up.p50, other.half_up.p50, delta=6 * 3600)
                told = [(f.complaint, f.state, f.causes[0].cause if f.causes else "") for f in page.findings(b)]
                self.assertEqual(
                    told, [(f.complaint, f.state, f.causes[0].cause if f.causes else "") for f in command.findings(b)]
                )
        for one_mat, other_mat in zip(page.mats()[0], command.mats()[0], strict=True):
            self.assertEqual(
                (one_mat.mat, one_mat.flat_out, one_mat.why_not), (other_mat.mat, other_mat.flat_out, other_mat.why_not)
            )
            if one_mat.setpoint_c is not None and other_mat.setpoint_c is not None:
                self.assertAlmostEqual(one_mat.setpoint_c, other_mat.setpoint_c, delta=0.5)
        for one_lamp, other_lamp in zip(page.lamps(), command.lamps(), strict=True):
            self.assertEqual((one_lamp.lamp, one_lamp.reaches), (other_lamp.lamp, other_lamp.reaches))
        plans = [[(s.draft.name, s.sow_on) for s in a.plan(self.now.date()).sowings] for a in (page, command)]
        self.assertEqual(plans[0], plans[1])

    def test_the_days_list_says_what_the_findings_say(self) -> None:
        """A batch that the list calls late is found slow, and one whose plants fell is found to be falling, in every case."""
        said = 0
        for path in sorted(CASES.glob("*.json")):
            journal = read_journal(open_journal(path.read_text())).with_series()
            at_s = max([e.at.timestamp() for e in journal.events] + [float(s.at_s[-1]) for s in journal.series])
            a = Answers(record_at(journal, at_s), at_s, exactly=True)
            trays = {t.id: t for t in journal.trays}
            days = []
            for b in journal.batches:
                tray = trays.get(tray_of(b, a.events, at_s) or "")
                if tray is not None and b.sown_at.timestamp() <= at_s:
                    c = a.conditions(b)
                    days.append(
                        BatchDay(b, tray, c, a.forecast(b), practice_of(journal.garden, b), a.care(b, tray, c), a.hardening(b))
                    )
            by_id = {b.id: b for b in journal.batches}
            for task in a.tasks(days, []):
                if task.kind not in ("late", "fallen"):
                    continue
                said += 1
                with self.subTest(path.name, task=task.key):
                    found = {f.complaint: f for f in a.findings(by_id[task.batch])}
                    self.assertIn({"late": "slow_germination", "fallen": "damping_off"}[task.kind], found)
        self.assertGreater(said, 3)
