"""Large files are read in the background: what is read, how far it has come, and what came of it."""

from alembic import op

revision = "20261129_10"
down_revision = "20261129_09"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """
        CREATE TABLE import_job (
          garden_id INTEGER NOT NULL REFERENCES garden (id) ON DELETE CASCADE,
          key VARCHAR NOT NULL,
          name VARCHAR NOT NULL,
          place VARCHAR NOT NULL,
          by VARCHAR NOT NULL,
          person_id INTEGER REFERENCES person (id) ON DELETE SET NULL,
          made_at TIMESTAMP WITH TIME ZONE NOT NULL,
          mapping JSONB,
          replaces BOOLEAN NOT NULL,
          state VARCHAR NOT NULL,
          words VARCHAR NOT NULL DEFAULT '',
          lines INTEGER NOT NULL,
          lines_done INTEGER NOT NULL DEFAULT 0,
          accepted INTEGER NOT NULL DEFAULT 0,
          repeated INTEGER NOT NULL DEFAULT 0,
          n_rejected INTEGER NOT NULL DEFAULT 0,
          rejected JSONB,
          PRIMARY KEY (garden_id, key)
        );
        CREATE INDEX import_job_open ON import_job (made_at) WHERE state = 'waiting';
        """
    )
