"""Devices that bring readings: where they lie unless they say otherwise, and by how much their clock is put right."""

from alembic import op

revision = "20261129_07"
down_revision = "20261129_06"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE device ADD COLUMN place VARCHAR, ADD COLUMN shift_s DOUBLE PRECISION NOT NULL DEFAULT 0")
