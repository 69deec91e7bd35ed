"""The tables. Columns of a record carry the names of the core dataclass they hold; mapping.py relies on it.

Constructors of table models do not validate: only validated core records are written here.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import (
    CheckConstraint,
    Column,
    Double,
    ForeignKeyConstraint,
    Identity,
    Index,
    Integer,
    LargeBinary,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TSTZRANGE, ExcludeConstraint
from sqlalchemy.types import DateTime
from sqlmodel import Field, SQLModel


def _json(nullable: bool = True) -> Any:
    return Field(default=None, sa_column=Column(JSONB(none_as_null=True), nullable=nullable))


def _texts() -> Any:
    return Field(default=None, sa_column=Column(ARRAY(Text), nullable=True))


def _when(nullable: bool = False) -> Any:
    return Field(default=None, sa_column=Column(DateTime(timezone=True), nullable=nullable))


def _order() -> Any:
    """Order of arrival, so that a journal is written in the order it came."""
    return Field(default=None, sa_column=Column(Integer, Identity(always=True), nullable=False))


def _of_thing() -> tuple[Any, ...]:
    return (ForeignKeyConstraint(["garden_id", "id"], ["thing.garden_id", "thing.id"], ondelete="CASCADE"),)


class PersonRow(SQLModel, table=True):
    __tablename__ = "person"
    id: int | None = Field(default=None, primary_key=True)
    name: str = Field(unique=True)
    password_hash: str
    created_at: datetime = _when()
    temperature_unit: str = "degC"
    locale: str = "en_GB"
    measures: str = Field(default="metric", sa_column_kwargs={"server_default": "metric"})
    shortcuts: bool = Field(default=True, sa_column_kwargs={"server_default": "true"})
    # Whoever set this Fennet up keeps it: backups, its health, and passwords of people who belong nowhere else.
    keeper: bool = Field(default=False, sa_column_kwargs={"server_default": "false"})
    # The second factor: its key, the last step whose code was taken, and hashes of the codes for a lost phone.
    totp_key: str | None = None
    totp_step: int | None = None
    spare_codes: list[str] | None = _texts()


class SessionRow(SQLModel, table=True):
    """A browser that is signed in. The cookie carries the token; ending the row ends the session."""

    __tablename__ = "session"
    token_hash: str = Field(primary_key=True)
    person_id: int = Field(foreign_key="person.id", ondelete="CASCADE", index=True)
    made_at: datetime = _when()
    last_at: datetime = _when()
    agent: str = ""


class OneTimeLinkRow(SQLModel, table=True):
    """An invitation to a garden, or the way to a new password: for one use, until its time; only a hash is kept."""

    __tablename__ = "one_time_link"
    __table_args__ = (
        CheckConstraint("role in ('owner', 'helper', 'viewer')", name="link_role"),
        CheckConstraint("(garden_id is null) <> (person_id is null)", name="link_is_of_one"),
    )
    token_hash: str = Field(primary_key=True)
    garden_id: int | None = Field(default=None, foreign_key="garden.id", ondelete="CASCADE", index=True)
    role: str | None = None
    person_id: int | None = Field(default=None, foreign_key="person.id", ondelete="CASCADE", index=True)
    made_at: datetime = _when()
    until: datetime = _when()
    by: str
    used_at: datetime | None = _when(nullable=True)
    used_by: str | None = None


class KnockRow(SQLModel, table=True):
    """How often a door was knocked at within a window of time: one count for all server processes."""

    __tablename__ = "knock"
    __table_args__ = ({"prefixes": ["UNLOGGED"]},)
    key: str = Field(primary_key=True)
    n: int
    until: datetime = _when()


class UpkeepRow(SQLModel, table=True):
    """What Fennet did last for its own sake, the nightly backup say, and how it went."""

    __tablename__ = "upkeep"
    what: str = Field(primary_key=True)
    at: datetime = _when()
    done_at: datetime | None = _when(nullable=True)
    words: str = ""


class GardenRow(SQLModel, table=True):
    __tablename__ = "garden"
    id: int | None = Field(default=None, primary_key=True)
    slug: str = Field(unique=True)
    name: str
    timezone: str
    latitude: float | None = None
    longitude: float | None = None
    last_frost: str | None = None
    last_frost_sd_d: float | None = None
    tariff_per_kwh: float | None = None
    currency: str | None = None
    practice: dict[str, Any] | None = _json()
    demo: bool = False
    # Counts the writes, so that a page knows whether what it remembers still holds.
    revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    # Counts the writes to its things alone; triggers keep it.
    setup_revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    # Counts what stations and forecasts said, which bears on outings alone.
    weather_revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})


class MembershipRow(SQLModel, table=True):
    __tablename__ = "membership"
    __table_args__ = (CheckConstraint("role in ('owner', 'helper', 'viewer')", name="membership_role"),)
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    person_id: int = Field(primary_key=True, foreign_key="person.id", ondelete="CASCADE")
    role: str


class ThingRow(SQLModel, table=True):
    """The one namespace of ids of a garden."""

    __tablename__ = "thing"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    id: str = Field(primary_key=True)
    kind: str


class RoomRow(SQLModel, table=True):
    __tablename__ = "room"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    name: str | None = None


class PlaceRow(SQLModel, table=True):
    __tablename__ = "place"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    room: str | None = None
    kind: str | None = None
    name: str | None = None
    width_mm: float | None = None
    depth_mm: float | None = None
    x_mm: float | None = None
    y_mm: float | None = None
    z_mm: float | None = None
    facing_deg: float | None = None
    since: datetime | None = _when(nullable=True)
    until: datetime | None = _when(nullable=True)


class OutletRow(SQLModel, table=True):
    __tablename__ = "outlet"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    id: str = Field(primary_key=True)
    position: int = _order()
    limit_w: float | None = None


class LampRow(SQLModel, table=True):
    __tablename__ = "lamp"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    place: str | None = None
    kind: str | None = None
    watts: float | None = None
    lumens: float | None = None
    lux_per_ppfd: float | None = None
    length_mm: float | None = None
    min_distance_mm: float | None = None
    tubes: int | None = None
    shield: bool | None = None
    outlet: str | None = None
    name: str | None = None
    since: datetime | None = _when(nullable=True)
    until: datetime | None = _when(nullable=True)


class MatRow(SQLModel, table=True):
    __tablename__ = "mat"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    watts: float | None = None
    control: str | None = None
    trays_max: int | None = None
    width_mm: float | None = None
    depth_mm: float | None = None
    outlet: str | None = None
    name: str | None = None
    since: datetime | None = _when(nullable=True)
    until: datetime | None = _when(nullable=True)


class FanRow(SQLModel, table=True):
    __tablename__ = "fan"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    place: str | None = None
    watts: float | None = None
    outlet: str | None = None
    name: str | None = None
    since: datetime | None = _when(nullable=True)
    until: datetime | None = _when(nullable=True)


class TrayRow(SQLModel, table=True):
    __tablename__ = "tray"
    __table_args__ = _of_thing()
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    kind: str | None = None
    container: str | None = None
    wick: bool | None = None
    name: str | None = None
    rows: int | None = None
    columns: int | None = None
    cell_ml: float | None = None
    width_mm: float | None = None
    depth_mm: float | None = None
    height_mm: float | None = None
    since: datetime | None = _when(nullable=True)
    until: datetime | None = _when(nullable=True)


class SourceRow(SQLModel, table=True):
    __tablename__ = "source"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    id: str = Field(primary_key=True)
    position: int = _order()
    kind: str | None = None
    sited: str | None = None
    calibration: list[Any] | None = _json()


class SeedLotRow(SQLModel, table=True):
    __tablename__ = "seed_lot"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    id: str = Field(primary_key=True)
    position: int = _order()
    crop: str
    variety: str | None = None
    source: str | None = None
    mother: str | None = None
    packed: int | None = None
    storage: str | None = None
    rate: float | None = None
    seeds: int | None = None
    counted_at: datetime | None = _when(nullable=True)
    treated: bool | None = None
    tests: list[Any] | None = _json()


class BatchRow(SQLModel, table=True):
    __tablename__ = "batch"
    __table_args__ = (
        *_of_thing(),
        ForeignKeyConstraint(["garden_id", "tray"], ["tray.garden_id", "tray.id"]),
        ForeignKeyConstraint(["garden_id", "seed_lot"], ["seed_lot.garden_id", "seed_lot.id"]),
        ForeignKeyConstraint(["garden_id", "from_batch"], ["batch.garden_id", "batch.id"], deferrable=True, initially="DEFERRED"),
        CheckConstraint("cells is not null or cell_list is not null or seeds is not null", name="batch_has_cells"),
    )
    garden_id: int = Field(primary_key=True)
    id: str = Field(primary_key=True)
    position: int = _order()
    crop: str
    sown_at: datetime = _when()
    tray: str | None = None
    cell_list: list[str] | None = _texts()
    cells: int | None = None
    seeds: int | None = None
    seed_lot: str | None = None
    variety: str | None = None
    set_up: str | None = None
    seeds_per_cell: int | None = None
    depth_mm: float | None = None
    mix: dict[str, Any] | None = _json()
    covered_with: str | None = None
    pretreatment: list[Any] | None = _json()
    from_batch: str | None = None
    want: str | None = None
    sowing: str | None = None
    start: str | None = None
    source: str | None = None
    size_mm: float | None = None
    practice: dict[str, Any] | None = _json()


class OwnCropRow(SQLModel, table=True):
    __tablename__ = "own_crop"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    id: str = Field(primary_key=True)
    position: int = _order()
    body: dict[str, Any] = _json(nullable=False)


class WantRow(SQLModel, table=True):
    __tablename__ = "want"
    __table_args__ = (Index("want_id", "garden_id", "id", unique=True, postgresql_where=text("id IS NOT NULL")),)
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE", index=True)
    position: int = Field(default=None, sa_column=Column(Integer, Identity(always=True), primary_key=True))
    crop: str
    variety: str | None = None
    plants: int | None = None
    out_by: date | None = None
    spares: int | None = None
    id: str | None = None
    where: str | None = None
    season: str | None = None
    every_days: int | None = None
    times: int | None = None
    confidence: float | None = None
    seed_lot: str | None = None
    moved: dict[str, Any] | None = _json()
    practice: dict[str, Any] | None = _json()
    note: str | None = None


class JournalSectionRow(SQLModel, table=True):
    """Journal sections whose shape is open until a view needs them."""

    __tablename__ = "journal_section"
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE", index=True)
    position: int = Field(default=None, sa_column=Column(Integer, Identity(always=True), primary_key=True))
    section: str
    body: dict[str, Any] = _json(nullable=False)


class SeriesRow(SQLModel, table=True):
    """What readings share: place, spot, quantity, source. A reading is one series at one time."""

    __tablename__ = "series"
    __table_args__ = (
        UniqueConstraint(
            "garden_id",
            "place",
            "quantity",
            "source",
            "x_mm",
            "y_mm",
            "z_mm",
            name="series_identity",
            postgresql_nulls_not_distinct=True,
        ),
        ForeignKeyConstraint(["garden_id", "place"], ["thing.garden_id", "thing.id"], ondelete="CASCADE"),
    )
    id: int | None = Field(default=None, primary_key=True)
    garden_id: int
    place: str
    quantity: str
    source: str | None = None
    x_mm: float | None = None
    y_mm: float | None = None
    z_mm: float | None = None
    # Counts the writes to this series.
    revision: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    # Before it the hours are the record: their readings were thinned out, when told to.
    thinned_before: datetime | None = _when(nullable=True)


class ReadingRow(SQLModel, table=True):
    """A reading as given; `canonical` is derived and can be rebuilt (null where it cannot be known yet).

    No foreign key to its series: checking it row by row doubles the time of a million readings. The store writes series
    and readings in one transaction, and a trigger takes the readings along when a series goes.
    """

    __tablename__ = "reading"
    series_id: int = Field(primary_key=True, sa_column_kwargs={"autoincrement": False})
    at: datetime = Field(default=None, sa_column=Column(DateTime(timezone=True), primary_key=True))
    value: float = Field(sa_column=Column(Double, nullable=False))
    canonical: float | None = Field(default=None, sa_column=Column(Double, nullable=True))
    unit: str
    under: str | None = None
    estimated: bool | None = None


class ReadingHourRow(SQLModel, table=True):
    """Roll-up of canonical readings by the hour: what pages and forecasts read. Derived."""

    __tablename__ = "reading_hour"
    series_id: int = Field(primary_key=True, foreign_key="series.id", ondelete="CASCADE")
    hour: datetime = Field(default=None, sa_column=Column(DateTime(timezone=True), primary_key=True))
    at_s: float = Field(sa_column=Column(Double, nullable=False))
    mean: float = Field(sa_column=Column(Double, nullable=False))
    low: float = Field(sa_column=Column(Double, nullable=False))
    high: float = Field(sa_column=Column(Double, nullable=False))
    n: int
    estimated: bool
    daylight: bool = Field(default=False, sa_column_kwargs={"server_default": "false"})


class ReadingMonthRow(SQLModel, table=True):
    """The hours of one month (UTC) in order, packed: big-endian doubles and single bytes. Derived. One that is stale is read by
    its hours."""

    __tablename__ = "reading_month"
    __table_args__ = (Index("reading_month_stale", "month", postgresql_where=text("stale")),)
    series_id: int = Field(primary_key=True, foreign_key="series.id", ondelete="CASCADE")
    month: datetime = Field(default=None, sa_column=Column(DateTime(timezone=True), primary_key=True))
    n_hours: int
    n: int
    at_s: bytes
    mean: bytes
    estimated: bytes
    daylight: bytes
    stale: bool = Field(default=False, sa_column_kwargs={"server_default": "false"})


class EventRow(SQLModel, table=True):
    """Append-only: undo, correction and withdrawal are events too. A trigger refuses update and delete."""

    __tablename__ = "event"
    __table_args__ = (
        UniqueConstraint("garden_id", "id", name="event_id"),
        Index("event_subject", "garden_id", "batch", "tray"),
    )
    position: int = Field(default=None, sa_column=Column(Integer, Identity(always=True), primary_key=True))
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE")
    id: str
    kind: str
    at: datetime = _when()
    by: str | None = None
    author_id: int | None = Field(default=None, foreign_key="person.id")
    recorded_at: datetime = _when()
    batch: str | None = None
    tray: str | None = None
    target: str | None = None
    body: dict[str, Any] = _json(nullable=False)


class SentRow(SQLModel, table=True):
    """Keys of what was sent, so that a form sent twice is taken once."""

    __tablename__ = "sent"
    __table_args__ = (Index("sent_by_age", "garden_id", "at"),)
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    key: str = Field(primary_key=True)
    at: datetime = _when()
    outcome: dict[str, Any] | None = _json()


class CellStayRow(SQLModel, table=True):
    """Which batch holds a cell, from when to when: two at one time are refused. Derived from batches and events."""

    __tablename__ = "cell_stay"
    __table_args__ = (
        ExcludeConstraint(
            ("garden_id", "="), ("tray", "="), ("cell", "="), ("during", "&&"), name="one_batch_in_a_cell", using="gist"
        ),
        ForeignKeyConstraint(["garden_id", "batch"], ["batch.garden_id", "batch.id"], ondelete="CASCADE"),
    )
    garden_id: int = Field(primary_key=True)
    batch: str = Field(primary_key=True)
    tray: str = Field(primary_key=True)
    cell: str = Field(primary_key=True)
    during: Any = Field(sa_column=Column(TSTZRANGE, nullable=False))


class PromiseRow(SQLModel, table=True):
    """Forecasts that were shown and will be marked."""

    __tablename__ = "promise"
    __table_args__ = (
        Index("promise_subject", "garden_id", "subject", "kind", "made_at"),
        Index(
            "promise_once_a_day", "garden_id", "subject", "day", unique=True,
            postgresql_where=text("kind = 'half_up' AND day IS NOT NULL"),
        ),
    )  # fmt: skip
    position: int = Field(default=None, sa_column=Column(Integer, Identity(always=True), primary_key=True))
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE")
    kind: str | None = None
    subject: str | None = None
    made_at: datetime | None = _when(nullable=True)
    # The garden's local day of a half-up promise: there is one a batch and day. None where more came in from elsewhere.
    day: date | None = None
    body: dict[str, Any] = _json(nullable=False)


class PhotoRow(SQLModel, table=True):
    """Photos live in the database, so that a backup is one thing."""

    __tablename__ = "photo"
    id: int | None = Field(default=None, primary_key=True)
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE", index=True)
    thing: str
    taken_at: datetime = _when()
    mime: str
    width_px: int
    height_px: int
    image: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    thumbnail: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    by: str | None = None
    recorded_at: datetime = Field(default=None, sa_column=Column(DateTime(timezone=True), nullable=False, server_default="now()"))
    withdrawn: bool = Field(default=False, sa_column_kwargs={"server_default": "false"})


class LoggerMappingRow(SQLModel, table=True):
    """How a logger's own CSV is read, kept by name."""

    __tablename__ = "logger_mapping"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    name: str = Field(primary_key=True)
    body: dict[str, Any] = _json(nullable=False)


class SecretAddressRow(SQLModel, table=True):
    """Secret addresses of a garden: `opens` its calendar, or its page for readers. Only a hash is kept; revoked ones are gone."""

    __tablename__ = "secret_address"
    __table_args__ = (CheckConstraint("opens in ('calendar', 'garden')", name="address_opens"),)
    token_hash: str = Field(primary_key=True)
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE", index=True)
    opens: str = Field(default="calendar", sa_column_kwargs={"server_default": "calendar"})
    made_at: datetime = _when()
    by: str | None = None


class DeviceRow(SQLModel, table=True):
    """Tokens of devices, hashed: a thermostat's of one mat, a timer's of one lamp, a station's, a reader's; with what it last
    said of itself. A reader lies at `place` unless it says otherwise; its times are moved by `shift_s`. Revoked ones are gone."""

    __tablename__ = "device"
    token_hash: str = Field(primary_key=True)
    garden_id: int = Field(foreign_key="garden.id", ondelete="CASCADE", index=True)
    thing: str
    kind: str
    made_at: datetime = _when()
    by: str | None = None
    last_at: datetime | None = _when(nullable=True)
    report: dict[str, Any] | None = _json(nullable=True)
    place: str | None = None
    shift_s: float = Field(default=0.0, sa_column=Column(Double, nullable=False, server_default="0"))
    # Reached through the garden's broker by this topic, and by no token.
    topic: str | None = None


class BrokerRow(SQLModel, table=True):
    """A garden's broker: where it is and how it is opened, what is listened to until when, and how the connection stands."""

    __tablename__ = "broker"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    host: str
    port: int
    tls: bool
    ca: str | None = Field(default=None, sa_column=Column(Text, nullable=True))
    username: str | None = None
    password: str | None = None
    listens: str = Field(default="#", sa_column_kwargs={"server_default": "#"})
    listen_until: datetime | None = _when(nullable=True)
    heard_at: datetime | None = _when(nullable=True)
    state: str = Field(default="", sa_column_kwargs={"server_default": ""})
    trouble: str = Field(default="", sa_column_kwargs={"server_default": ""})


class BrokerTopicRow(SQLModel, table=True):
    """A topic that was heard: what its last message held, and how it is read; without `uses` it is heard and not kept."""

    __tablename__ = "broker_topic"
    garden_id: int = Field(primary_key=True, foreign_key="broker.garden_id", ondelete="CASCADE")
    topic: str = Field(primary_key=True)
    leaves: dict[str, Any] | None = _json()
    heard_at: datetime | None = _when(nullable=True)
    retained: bool = Field(default=False, sa_column_kwargs={"server_default": "false"})
    n: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    kept: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    trouble: str = Field(default="", sa_column_kwargs={"server_default": ""})
    time_path: str | None = None
    uses: list[Any] | None = _json()


class UploadRow(SQLModel, table=True):
    """A file between its preview and its saving."""

    __tablename__ = "upload"
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    key: str = Field(primary_key=True)
    name: str
    at: datetime = _when()
    content: bytes = Field(sa_column=Column(LargeBinary, nullable=False))


class ImportJobRow(SQLModel, table=True):
    """A large file that is read in the background: `waiting` until it is done or failed; `lines_done` of its lines are kept."""

    __tablename__ = "import_job"
    __table_args__ = (Index("import_job_open", "made_at", postgresql_where=text("state = 'waiting'")),)
    garden_id: int = Field(primary_key=True, foreign_key="garden.id", ondelete="CASCADE")
    key: str = Field(primary_key=True)
    name: str
    place: str
    by: str
    person_id: int | None = Field(default=None, foreign_key="person.id", ondelete="SET NULL")
    made_at: datetime = _when()
    mapping: dict[str, Any] | None = _json()
    replaces: bool
    state: str
    words: str = Field(default="", sa_column_kwargs={"server_default": ""})
    lines: int
    lines_done: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    accepted: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    repeated: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    n_rejected: int = Field(default=0, sa_column_kwargs={"server_default": "0"})
    rejected: list[Any] | None = _json()


metadata = SQLModel.metadata
