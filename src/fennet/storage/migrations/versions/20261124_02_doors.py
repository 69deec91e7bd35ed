"""Doors for devices of more kinds than thermostats: a timer's plug has a token too."""

from alembic import op

revision = "20261124_02"
down_revision = "20261124_01"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE thermostat RENAME TO door;
ALTER INDEX ix_thermostat_garden_id RENAME TO ix_door_garden_id;
ALTER TABLE door RENAME COLUMN mat TO thing;
ALTER TABLE door ADD COLUMN kind VARCHAR NOT NULL DEFAULT 'thermostat';
ALTER TABLE door ALTER COLUMN kind DROP DEFAULT;
"""


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
