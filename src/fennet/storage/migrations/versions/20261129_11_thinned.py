"""Up to when the minutes of a series were thinned to hours, on its keeper's word."""

from alembic import op

revision = "20261129_11"
down_revision = "20261129_10"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE series ADD COLUMN thinned_before TIMESTAMP WITH TIME ZONE")
