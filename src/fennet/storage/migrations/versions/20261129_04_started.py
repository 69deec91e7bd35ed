"""Batches that were bought, cut, slipped or divided: from what, from where, how tall."""

from alembic import op

revision = "20261129_04"
down_revision = "20261129_03"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE batch ADD COLUMN start VARCHAR, ADD COLUMN source VARCHAR, ADD COLUMN size_mm FLOAT")
