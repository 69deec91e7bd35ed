"""Sessions that can be ended, links for one use, a second factor, one count of knocks, addresses for readers, upkeep."""

from alembic import op

revision = "20261129_06"
down_revision = "20261129_05"
branch_labels = None
depends_on = None

STEPS = """
ALTER TABLE person DROP COLUMN session_mark, ADD COLUMN keeper BOOLEAN NOT NULL DEFAULT false, ADD COLUMN totp_key VARCHAR,
    ADD COLUMN totp_step INTEGER, ADD COLUMN spare_codes TEXT[];
UPDATE person SET keeper = true WHERE id = (SELECT min(id) FROM person);
CREATE TABLE session (
    token_hash VARCHAR PRIMARY KEY,
    person_id INTEGER NOT NULL REFERENCES person (id) ON DELETE CASCADE,
    made_at TIMESTAMP WITH TIME ZONE NOT NULL,
    last_at TIMESTAMP WITH TIME ZONE NOT NULL,
    agent VARCHAR NOT NULL
);
CREATE INDEX ix_session_person_id ON session (person_id);
CREATE TABLE one_time_link (
    token_hash VARCHAR PRIMARY KEY,
    garden_id INTEGER REFERENCES garden (id) ON DELETE CASCADE,
    role VARCHAR CONSTRAINT link_role CHECK (role IN ('owner', 'helper', 'viewer')),
    person_id INTEGER REFERENCES person (id) ON DELETE CASCADE,
    made_at TIMESTAMP WITH TIME ZONE NOT NULL,
    until TIMESTAMP WITH TIME ZONE NOT NULL,
    by VARCHAR NOT NULL,
    used_at TIMESTAMP WITH TIME ZONE,
    used_by VARCHAR,
    CONSTRAINT link_is_of_one CHECK ((garden_id IS NULL) <> (person_id IS NULL))
);
CREATE INDEX ix_one_time_link_garden_id ON one_time_link (garden_id);
CREATE INDEX ix_one_time_link_person_id ON one_time_link (person_id);
CREATE UNLOGGED TABLE knock (
    key VARCHAR PRIMARY KEY,
    n INTEGER NOT NULL,
    until TIMESTAMP WITH TIME ZONE NOT NULL
);
CREATE TABLE upkeep (
    what VARCHAR PRIMARY KEY,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    done_at TIMESTAMP WITH TIME ZONE,
    words VARCHAR NOT NULL
);
ALTER TABLE calendar_address RENAME TO secret_address;
ALTER INDEX ix_calendar_address_garden_id RENAME TO ix_secret_address_garden_id;
ALTER TABLE secret_address ADD COLUMN opens VARCHAR NOT NULL DEFAULT 'calendar'
    CONSTRAINT address_opens CHECK (opens IN ('calendar', 'garden'));
"""


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
