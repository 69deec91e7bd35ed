"""A garden's broker (MQTT): where it is, which topics were heard, what they mean; devices that are driven by a topic."""

from alembic import op

revision = "20261129_08"
down_revision = "20261129_07"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """
        CREATE TABLE broker (
          garden_id INTEGER PRIMARY KEY REFERENCES garden (id) ON DELETE CASCADE,
          host VARCHAR NOT NULL,
          port INTEGER NOT NULL,
          tls BOOLEAN NOT NULL,
          ca TEXT,
          username VARCHAR,
          password VARCHAR,
          listens VARCHAR NOT NULL DEFAULT '#',
          listen_until TIMESTAMP WITH TIME ZONE,
          heard_at TIMESTAMP WITH TIME ZONE,
          state VARCHAR NOT NULL DEFAULT '',
          trouble VARCHAR NOT NULL DEFAULT ''
        );
        CREATE TABLE broker_topic (
          garden_id INTEGER NOT NULL REFERENCES broker (garden_id) ON DELETE CASCADE,
          topic VARCHAR NOT NULL,
          leaves JSONB,
          heard_at TIMESTAMP WITH TIME ZONE,
          retained BOOLEAN NOT NULL DEFAULT FALSE,
          n INTEGER NOT NULL DEFAULT 0,
          kept INTEGER NOT NULL DEFAULT 0,
          trouble VARCHAR NOT NULL DEFAULT '',
          time_path VARCHAR,
          uses JSONB,
          PRIMARY KEY (garden_id, topic)
        );
        ALTER TABLE device ADD COLUMN topic VARCHAR;
        """
    )
