"""The room over time: since when a thing was there and until when, what was changed lately, the sky's light told apart."""

from alembic import op

revision = "20261123_02"
down_revision = "20261123_01"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE place ADD COLUMN since TIMESTAMP WITH TIME ZONE, ADD COLUMN until TIMESTAMP WITH TIME ZONE;
ALTER TABLE lamp ADD COLUMN since TIMESTAMP WITH TIME ZONE, ADD COLUMN until TIMESTAMP WITH TIME ZONE;
ALTER TABLE mat ADD COLUMN since TIMESTAMP WITH TIME ZONE, ADD COLUMN until TIMESTAMP WITH TIME ZONE;
ALTER TABLE fan ADD COLUMN since TIMESTAMP WITH TIME ZONE, ADD COLUMN until TIMESTAMP WITH TIME ZONE;
ALTER TABLE tray ADD COLUMN since TIMESTAMP WITH TIME ZONE, ADD COLUMN until TIMESTAMP WITH TIME ZONE;
ALTER TABLE lamp ADD COLUMN name VARCHAR;
ALTER TABLE mat ADD COLUMN name VARCHAR;
ALTER TABLE fan ADD COLUMN name VARCHAR;

ALTER TABLE garden ADD COLUMN revision INTEGER NOT NULL DEFAULT 0;
ALTER TABLE garden ADD COLUMN shape INTEGER NOT NULL DEFAULT 0;
ALTER TABLE series ADD COLUMN revision INTEGER NOT NULL DEFAULT 0;
ALTER TABLE reading_hour ADD COLUMN daylight BOOLEAN NOT NULL DEFAULT false;
UPDATE reading_hour h SET daylight = true FROM reading r
    WHERE r.series_id = h.series_id AND r.under = 'daylight' AND date_trunc('hour', r.at) = h.hour;

ALTER TABLE person ADD COLUMN measures VARCHAR NOT NULL DEFAULT 'metric';
ALTER TABLE person ADD COLUMN shortcuts BOOLEAN NOT NULL DEFAULT true;

ALTER TABLE photo ADD COLUMN "by" VARCHAR;
ALTER TABLE photo ADD COLUMN recorded_at TIMESTAMP WITH TIME ZONE NOT NULL DEFAULT now();
ALTER TABLE photo ADD COLUMN withdrawn BOOLEAN NOT NULL DEFAULT false;
"""

#: Tables whose rows a garden's things are made of: a write to one counts up the garden's shape.
SHAPES = (
    "room", "place", "outlet", "lamp", "mat", "fan", "tray", "source", "seed_lot", "batch", "own_crop", "want", "kept_entry",
)  # fmt: skip

SHAPE = """
CREATE FUNCTION garden_shape_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE garden SET shape = shape + 1 WHERE id IN (SELECT DISTINCT garden_id FROM changed);
    RETURN NULL;
END $$;
"""


def upgrade() -> None:
    op.execute(STEPS)
    op.execute(SHAPE)
    for table in SHAPES:
        for event, rows in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
            op.execute(
                f"CREATE TRIGGER {table}_shape_{event.lower()} AFTER {event} ON {table} REFERENCING {rows} TABLE AS changed "
                "FOR EACH STATEMENT EXECUTE FUNCTION garden_shape_changed()"
            )
