"""The plan: what a want says more of itself, which want a batch was sown for, when a packet was counted, calendar addresses."""

from alembic import op

revision = "20261123_03"
down_revision = "20261123_02"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE want ADD COLUMN id VARCHAR;
ALTER TABLE want ADD COLUMN "where" VARCHAR;
ALTER TABLE want ADD COLUMN season VARCHAR;
ALTER TABLE want ADD COLUMN every_days INTEGER;
ALTER TABLE want ADD COLUMN times INTEGER;
ALTER TABLE want ADD COLUMN confidence FLOAT;
ALTER TABLE want ADD COLUMN seed_lot VARCHAR;
ALTER TABLE want ADD COLUMN moved JSONB;
ALTER TABLE want ADD COLUMN practice JSONB;
ALTER TABLE want ADD COLUMN note VARCHAR;
CREATE UNIQUE INDEX want_id ON want (garden_id, id) WHERE id IS NOT NULL;

ALTER TABLE batch ADD COLUMN want VARCHAR;
ALTER TABLE seed_lot ADD COLUMN counted_on DATE;

CREATE TABLE calendar_address (
    token_hash VARCHAR NOT NULL,
    garden_id INTEGER NOT NULL,
    made_at TIMESTAMP WITH TIME ZONE NOT NULL,
    by VARCHAR,
    PRIMARY KEY (token_hash),
    FOREIGN KEY (garden_id) REFERENCES garden (id) ON DELETE CASCADE
);
CREATE INDEX ix_calendar_address_garden_id ON calendar_address (garden_id);
"""


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
