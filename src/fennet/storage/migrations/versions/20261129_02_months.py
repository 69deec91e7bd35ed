"""The hours of a month stand packed in one row, so that a garden with years of readings is read as fast as a young one."""

from alembic import op

revision = "20261129_02"
down_revision = "20261129_01"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        """CREATE TABLE reading_month (
            series_id INTEGER NOT NULL REFERENCES series (id) ON DELETE CASCADE,
            month TIMESTAMP WITH TIME ZONE NOT NULL,
            n_hours INTEGER NOT NULL,
            n INTEGER NOT NULL,
            at_s BYTEA NOT NULL,
            mean BYTEA NOT NULL,
            estimated BYTEA NOT NULL,
            daylight BYTEA NOT NULL,
            PRIMARY KEY (series_id, month)
        )"""
    )
    op.execute(
        """INSERT INTO reading_month (series_id, month, n_hours, n, at_s, mean, estimated, daylight)
           SELECT series_id, date_trunc('month', hour, 'UTC'), count(*), sum(n), string_agg(float8send(at_s), '' ORDER BY hour),
                  string_agg(float8send(mean), '' ORDER BY hour), string_agg(boolsend(estimated), '' ORDER BY hour),
                  string_agg(boolsend(daylight), '' ORDER BY hour)
           FROM reading_hour GROUP BY 1, 2"""
    )
