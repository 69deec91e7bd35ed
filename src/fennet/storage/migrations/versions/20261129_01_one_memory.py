"""The garden's own settings count as set-up; ranges of places and settings, which nothing read, go; tables by their names."""

from alembic import op

revision = "20261129_01"
down_revision = "20261128_01"
branch_labels = None
depends_on = None

STEPS = """
DROP TABLE placement;
DROP TABLE setting;
ALTER TABLE door RENAME TO device;
ALTER INDEX ix_door_garden_id RENAME TO ix_device_garden_id;
ALTER TABLE kept_entry RENAME TO journal_section;
ALTER INDEX ix_kept_entry_garden_id RENAME TO ix_journal_section_garden_id;
ALTER TABLE garden RENAME COLUMN shape TO setup_revision;
"""

#: Columns of a garden that every answer may hang on: a change to one counts up its set-up revision, as one to things do.
SETTINGS = "name, timezone, latitude, longitude, last_frost, last_frost_sd_d, tariff_per_kwh, currency, practice"

FUNCTIONS = (
    """CREATE OR REPLACE FUNCTION garden_shape_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE garden SET setup_revision = setup_revision + 1 WHERE id IN (SELECT DISTINCT garden_id FROM changed);
    RETURN NULL;
END $$""",
    """CREATE FUNCTION garden_settings_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.setup_revision := OLD.setup_revision + 1;
    RETURN NEW;
END $$""",
)


def upgrade() -> None:
    for statement in STEPS.split(";\n"):
        if statement.strip():
            op.execute(statement)
    for statement in FUNCTIONS:
        op.execute(statement)
    old, new = (", ".join(f"{row}.{name.strip()}" for name in SETTINGS.split(",")) for row in ("OLD", "NEW"))
    op.execute(
        f"CREATE TRIGGER garden_setup_settings BEFORE UPDATE ON garden FOR EACH ROW WHEN (({old}) IS DISTINCT FROM ({new})) "
        "EXECUTE FUNCTION garden_settings_changed()"
    )
