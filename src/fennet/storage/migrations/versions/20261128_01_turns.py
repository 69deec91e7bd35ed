"""One half-up promise a batch and day; keys of sent forms by age; gardens that nobody could open go to the first person."""

from alembic import op

revision = "20261128_01"
down_revision = "20261124_02"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE promise ADD COLUMN day DATE;
UPDATE promise p SET day = d.day FROM (
    SELECT position, (made_at AT TIME ZONE g.timezone)::date AS day,
           row_number() OVER (PARTITION BY garden_id, subject, (made_at AT TIME ZONE g.timezone)::date ORDER BY position) AS nth
    FROM promise JOIN garden g ON g.id = garden_id WHERE kind = 'half_up' AND made_at IS NOT NULL AND subject IS NOT NULL
) d WHERE d.position = p.position AND d.nth = 1;
CREATE UNIQUE INDEX promise_once_a_day ON promise (garden_id, subject, day) WHERE kind = 'half_up' AND day IS NOT NULL;
CREATE INDEX sent_by_age ON sent (garden_id, at);
INSERT INTO membership (garden_id, person_id, role)
    SELECT g.id, (SELECT min(id) FROM person), 'owner' FROM garden g
    WHERE EXISTS (SELECT FROM person) AND NOT EXISTS (SELECT FROM membership m WHERE m.garden_id = g.id);
"""


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
