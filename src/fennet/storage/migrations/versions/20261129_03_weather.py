"""A forecast that comes in counts for itself: every other answer of the garden holds."""

from alembic import op

revision = "20261129_03"
down_revision = "20261129_02"
branch_labels = None
depends_on = None

FUNCTION = """CREATE FUNCTION section_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE garden SET setup_revision = setup_revision + 1
        WHERE id IN (SELECT DISTINCT garden_id FROM changed WHERE section <> 'weather');
    UPDATE garden SET weather_revision = weather_revision + 1
        WHERE id IN (SELECT DISTINCT garden_id FROM changed WHERE section = 'weather');
    RETURN NULL;
END $$"""


def upgrade() -> None:
    op.execute("ALTER TABLE garden ADD COLUMN weather_revision INTEGER NOT NULL DEFAULT 0")
    op.execute(FUNCTION)
    for event, rows in (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD")):
        op.execute(f"DROP TRIGGER kept_entry_shape_{event.lower()} ON journal_section")
        op.execute(
            f"CREATE TRIGGER journal_section_changed_{event.lower()} AFTER {event} ON journal_section "
            f"REFERENCING {rows} TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION section_changed()"
        )
