"""What a tray is made of, and whether a wick waters it from below; a lamp's tubes, and what keeps its light in."""

from alembic import op

revision = "20261129_05"
down_revision = "20261129_04"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("ALTER TABLE tray ADD COLUMN container VARCHAR, ADD COLUMN wick BOOLEAN")
    op.execute("ALTER TABLE lamp ADD COLUMN tubes INTEGER, ADD COLUMN shield BOOLEAN")
