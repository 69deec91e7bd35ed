"""Which part of its want a batch was sown for, packets counted at a moment instead of on a day, and the tokens of thermostats."""

from alembic import op

revision = "20261124_01"
down_revision = "20261123_03"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE batch ADD COLUMN sowing VARCHAR;
ALTER TABLE seed_lot ADD COLUMN counted_at TIMESTAMP WITH TIME ZONE;
UPDATE seed_lot SET counted_at = counted_on::timestamp AT TIME ZONE 'UTC' WHERE counted_on IS NOT NULL;
ALTER TABLE seed_lot DROP COLUMN counted_on;

CREATE TABLE thermostat (
    token_hash VARCHAR NOT NULL,
    garden_id INTEGER NOT NULL,
    mat VARCHAR NOT NULL,
    made_at TIMESTAMP WITH TIME ZONE NOT NULL,
    by VARCHAR,
    last_at TIMESTAMP WITH TIME ZONE,
    report JSONB,
    PRIMARY KEY (token_hash),
    FOREIGN KEY (garden_id) REFERENCES garden (id) ON DELETE CASCADE
);
CREATE INDEX ix_thermostat_garden_id ON thermostat (garden_id);
"""


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
