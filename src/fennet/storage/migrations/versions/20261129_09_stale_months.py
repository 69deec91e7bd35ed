"""A month that a device still writes to is not packed anew at every message: it is marked, and read by its hours meanwhile."""

from alembic import op

revision = "20261129_09"
down_revision = "20261129_08"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE reading_month ADD COLUMN stale BOOLEAN NOT NULL DEFAULT FALSE")
    op.execute("CREATE INDEX reading_month_stale ON reading_month (month) WHERE stale")
    # Read whole and often: what compressing them saves on disk, taking them apart costs at every look.
    op.execute("ALTER TABLE reading_month ALTER COLUMN at_s SET STORAGE EXTERNAL, ALTER COLUMN mean SET STORAGE EXTERNAL")
