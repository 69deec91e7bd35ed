"""Backup and the way back, on a real PostgreSQL: what comes back is what there was, and what is no backup changes nothing."""

from __future__ import annotations

import io
import json
import shutil
import stat
import tarfile
import tempfile
import unittest
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import mock

from PIL import Image
from sqlalchemy import Engine, text

from fennet.operations import gardens, people, photos
from fennet.operations.exchange import give_journal, take_journal
from fennet.storage import queries
from fennet.storage.database import connect
from fennet.upkeep import nightly
from fennet.upkeep.backup import DUMP, MANIFEST, write_backup
from fennet.upkeep.doctor import Machine, examine
from fennet.upkeep.programs import UpkeepError
from fennet.upkeep.restore import restore
from tests.database import NOW, DatabaseCase, cluster, empty_database, new_person
from tests.journal.whole import whole_journal

SECRET = "a passphrase of some words"


def quiet(_: str) -> None:
    """Say nothing."""


def journal_of(engine: Engine) -> str:
    with engine.connect() as c:
        return "".join("".join(give_journal(c, ref)) for ref in queries.gardens(c))


def photos_of(engine: Engine) -> list[bytes]:
    with engine.connect() as c:
        return [bytes(row[0]) for row in c.execute(text("select image from photo order by id"))]


class Backups(DatabaseCase):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        take_journal(cls.engine, whole_journal(), NOW)
        with cls.engine.begin() as c:
            cls.ref = queries.gardens(c)[0]
            gardens.join(c, cls.ref, new_person(c, "Ann", "a sentence to sign in with", keeper=True), "owner")
        case = cls()
        picture = io.BytesIO()
        Image.effect_noise((90, 60), 40).convert("RGB").save(picture, "JPEG")
        actor = case.garden("Second")
        case.write(actor, gardens.add_tray, gardens.Tray(id="A", kind="cells", rows=1, columns=1), None)
        case.write(actor, photos.add, "A", photos.remake(picture.getvalue()), NOW)
        people.begin_session(cls.engine, 1, "a browser", NOW)
        cls.engine.dispose()

    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.folder)
        self.file = self.folder / "all.fennet"
        name, url = cluster().scratch_database(empty_database())
        self.other = connect(url)
        self.addCleanup(cluster().drop_database, name)
        self.addCleanup(self.other.dispose)

    def restore(self, file: Path, secret: str = "", dry_run: bool = False) -> object:
        return restore(self.other, file, secret, self.folder / "kept", quiet, dry_run)

    def test_what_comes_back_is_what_there_was(self) -> None:
        for secret in ("", SECRET):
            with self.subTest(encrypted=bool(secret)):
                made = write_backup(self.engine, self.file, secret)
                self.assertEqual(stat.S_IMODE(self.file.stat().st_mode), 0o600)
                self.assertEqual(sorted(p.name for p in self.folder.iterdir() if p.name != "kept"), ["all.fennet"])
                self.restore(self.file, secret)
                self.assertEqual(journal_of(self.other), journal_of(self.engine))
                self.assertEqual(photos_of(self.other), photos_of(self.engine))
                self.assertEqual(len(photos_of(self.other)), 1)
                self.assertEqual((made.people, len(made.gardens)), (2, 2))
                with self.other.connect() as c:
                    ann = people.people.person(c, name="Ann")
                    self.assertTrue(people.is_password(ann, "a sentence to sign in with"))
                    self.assertEqual(
                        c.execute(text("select count(*) from session")).scalar_one(), 0, "an old copy signs nobody in"
                    )
                self.other.dispose()

    def test_what_is_written_on_after_a_restore_has_numbers_of_its_own(self) -> None:
        write_backup(self.engine, self.file)
        self.restore(self.file)
        with self.other.begin() as c:
            self.assertEqual(gardens.make_garden(c, gardens.Garden(name="New", timezone="UTC")).slug, "new")
            new_person(c, "Bo", "a sentence to sign in with")

    def test_a_dry_run_tells_and_changes_nothing(self) -> None:
        with self.other.begin() as c:
            gardens.make_garden(c, gardens.Garden(name="Only here", timezone="UTC"))
        self.other.dispose()
        write_backup(self.engine, self.file)
        before = journal_of(self.other)
        self.other.dispose()
        done = self.restore(self.file, dry_run=True)
        told = {d.garden: (d.now is not None, d.then is not None) for d in done.differences}  # type: ignore[attr-defined]
        self.assertEqual(told, {"canal-house": (False, True), "only-here": (True, False), "second": (False, True)})
        self.assertEqual(journal_of(self.other), before)
        self.assertFalse((self.folder / "kept").exists())

    def test_what_stood_before_is_kept_and_comes_back(self) -> None:
        with self.other.begin() as c:
            gardens.make_garden(c, gardens.Garden(name="Only here", timezone="UTC"))
        before = journal_of(self.other)
        self.other.dispose()
        write_backup(self.engine, self.file)
        self.restore(self.file)
        self.other.dispose()
        (kept,) = (self.folder / "kept").iterdir()
        self.restore(kept)
        self.assertEqual(journal_of(self.other), before)

    def test_a_garden_in_use_is_left_alone(self) -> None:
        write_backup(self.engine, self.file)
        busy = connect(self.other.url.render_as_string(hide_password=False))
        self.addCleanup(busy.dispose)
        with busy.connect() as c:
            c.execute(text("select 1"))
            with self.assertRaisesRegex(UpkeepError, "is running on this database"):
                self.restore(self.file)
        self.assertEqual(journal_of(self.other), "")

    def changed(self, **manifest: object) -> Path:
        """The backup with another manifest."""
        write_backup(self.engine, self.file)
        with tarfile.open(self.file) as tar:
            head, body = (tar.extractfile(name) for name in (MANIFEST, DUMP))
            assert head is not None and body is not None
            said, dump = json.loads(head.read()) | manifest, body.read()
        out = self.folder / f"changed-{'-'.join(manifest)}.fennet"
        with tarfile.open(out, "w") as tar:
            for name, content in ((MANIFEST, json.dumps(said).encode()), (DUMP, dump)):
                member = tarfile.TarInfo(name)
                member.size = len(content)
                tar.addfile(member, io.BytesIO(content))
        return out

    def test_newer_broken_and_foreign_files_change_nothing(self) -> None:
        newer = self.changed(tables="20991231_01")
        whole = self.file.read_bytes()
        cut, bent, foreign, empty, journal = (self.folder / n for n in ("cut", "bent", "foreign", "empty", "journal"))
        cut.write_bytes(whole[: len(whole) // 2])
        half = len(whole) // 2
        bent.write_bytes(whole[:half] + bytes([whole[half] ^ 1]) + whole[half + 1 :])
        foreign.write_bytes(b"PK\x03\x04" + bytes(999))
        empty.write_bytes(b"")
        journal.write_text(journal_of(self.engine))
        with tarfile.open(self.folder / "tar", "w") as tar:
            tar.addfile(tarfile.TarInfo("../../etc/passwd"))
        cases = (
            (newer, "newer Fennet"), (self.changed(version=2), "of version 2"), (self.changed(format="x"), "no backup"),
            (self.changed(dump_sha256="0" * 64), "damaged"), (self.changed(gardens=[1]), "manifest"),
            (cut, "no backup|damaged|cut off"), (bent, "damaged|no backup"), (foreign, "no backup"), (empty, "no backup"),
            (journal, "no backup"), (self.folder / "tar", "no backup"), (self.folder, "directory"),
            (self.folder / "nowhere", "No such file"),
        )  # fmt: skip
        for file, said in cases:
            with self.subTest(file.name, said=said), self.assertRaisesRegex(UpkeepError, said):
                self.restore(file)
        self.other.dispose()
        rows = self.changed(rows={"event": 10**6})
        with self.assertRaisesRegex(UpkeepError, "of 1000000 rows"):
            self.restore(rows)
        self.assertEqual(journal_of(self.other), "")

    def test_a_wrong_passphrase_and_none(self) -> None:
        write_backup(self.engine, self.file, SECRET)
        self.assertTrue(self.file.read_bytes().startswith(b"age-encryption.org/v1"))
        self.assertNotIn(b"Canal house", self.file.read_bytes())
        for secret, said in (("", "it is encrypted"), ("another", "does not open it")):
            with self.subTest(said), self.assertRaisesRegex(UpkeepError, said):
                self.restore(self.file, secret)

    def test_a_full_disk_leaves_the_last_backup_and_no_rest(self) -> None:
        write_backup(self.engine, self.file)
        first = self.file.read_bytes()
        full = mock.patch("fennet.upkeep.backup.os.fsync", side_effect=OSError(28, "No space left on device"))
        with full, self.assertRaisesRegex(UpkeepError, "No space left"):
            write_backup(self.engine, self.file)
        self.assertEqual(self.file.read_bytes(), first)
        self.assertEqual([p.name for p in self.folder.iterdir()], ["all.fennet"])
        for place in (self.folder, self.folder / "none" / "x"):
            with self.assertRaisesRegex(UpkeepError, "a folder that exists"):
                write_backup(self.engine, place)

    def test_the_night_is_noted_and_told_when_it_fails(self) -> None:
        at = datetime(2026, 3, 1, 3, 5, tzinfo=UTC)
        made = nightly.make(self.engine, self.folder / "nights", "", at)
        with self.engine.connect() as c:
            last = nightly.last_backup(c)
        assert last is not None
        self.assertEqual((made.name, last.words, last.done_at), ("fennet-20260301.fennet", "", at))
        (self.folder / "file").write_text("no folder")
        with self.assertRaises(UpkeepError):
            nightly.make(self.engine, self.folder / "file" / "x", "", at + timedelta(days=1))
        with self.engine.connect() as c:
            last = nightly.last_backup(c)
        assert last is not None
        self.assertEqual(last.done_at, at)
        self.assertIn(str(self.folder), last.words)
        wrong = [f.words for f in examine(Machine(self.folder), self.engine, at + timedelta(days=1)) if not f.well]
        self.assertTrue(any("the last one failed" in words for words in wrong), wrong)


class Nights(unittest.TestCase):
    def test_when_it_is_due(self) -> None:
        three = datetime(2026, 3, 10, 3, 0, tzinfo=UTC)
        done = nightly.Upkeep(three, three, "")
        self.assertTrue(nightly.is_due(None, three))
        for hours, due in ((1, False), (20, False), (23.9, False), (24, True), (30, True)):
            self.assertEqual(nightly.is_due(done, three + timedelta(hours=hours)), due, hours)
        evening = nightly.Upkeep(three + timedelta(hours=17), three + timedelta(hours=17), "")
        self.assertTrue(
            nightly.is_due(evening, three + timedelta(hours=24)), "one by hand at evening does not stand for the night"
        )
        failed = nightly.Upkeep(three, three - timedelta(days=1), "the disk is full")
        self.assertEqual([nightly.is_due(failed, three + timedelta(minutes=m)) for m in (30, 61)], [False, True])
        self.assertFalse(done.failing(three + timedelta(hours=49)))
        self.assertTrue(done.failing(three + timedelta(hours=51)))

    def test_a_year_of_nights_leaves_days_weeks_and_months(self) -> None:
        kept: set[str] = {"mine.fennet", "fennet-99999999.fennet", "before-restore-20260101T000000Z.fennet"}
        for n in range(400):
            kept.add(f"fennet-{datetime(2025, 1, 1) + timedelta(days=n):%Y%m%d}.fennet")
            gone = nightly.to_remove(kept)
            self.assertFalse(set(gone) & {"mine.fennet", "fennet-99999999.fennet"})
            kept -= set(gone)
        self.assertGreaterEqual(len(kept), 3 + 7 + 3 + 10)
        self.assertLessEqual(len(kept), 3 + 7 + 5 + 12)
        self.assertIn("fennet-20260204.fennet", kept)


class Doctor(DatabaseCase):
    def found(self, state: Path, engine: Engine | None = None) -> dict[str, list[str]]:
        out: dict[str, list[str]] = {}
        for f in examine(Machine(state), engine or self.engine, NOW + timedelta(days=300)):
            if not f.well:
                self.assertTrue(f.mend, f.what)
                out.setdefault(f.what, []).append(f.words)
        return out

    def test_a_sound_machine_is_well_but_for_what_this_one_lacks(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            self.assertLessEqual(set(self.found(Path(folder))), {"disk"})

    def test_what_is_wrong_is_named_with_its_mending(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            secrets = Path(folder) / "secrets.json"
            secrets.write_text("{}")
            secrets.chmod(0o644)
            self.assertIn("can be read by others", self.found(Path(folder))["secrets"][0])
            away = connect("postgresql://nobody@127.0.0.1:1/none")
            self.assertIn("does not answer", self.found(Path(folder), away)["database"][0])
            with self.engine.begin() as c:
                new_person(c, "Ann")
            self.assertIn("none was made", self.found(Path(folder))["backups"][0])
            with mock.patch("fennet.upkeep.doctor.shutil.disk_usage", return_value=mock.Mock(free=50_000_000)):
                self.assertIn("0.1 GB free", self.found(Path(folder))["disk"][0])
            with self.engine.begin() as c:
                c.execute(text("update alembic_version set version_num = '20991231_01'"))
            try:
                self.assertIn("a newer Fennet", self.found(Path(folder))["tables"][0])
            finally:
                with self.engine.begin() as c:
                    c.execute(text("update alembic_version set version_num = (:at)"), {"at": _head()})


def _head() -> str:
    from fennet.upkeep.restore import known_tables

    return known_tables()[0]
