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


def upgrade() -> None:
    op.execute(STEPS)
