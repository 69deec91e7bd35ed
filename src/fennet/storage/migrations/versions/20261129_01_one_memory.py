"""The garden's own settings count as set-up; time ranges of places and settings, which nothing read, go."""

from alembic import op

revision = "20261129_01"
down_revision = "20261128_01"
branch_labels = None
depends_on = None

#: Columns of a garden that every answer may hang on: a change to one counts up the garden's shape, as one to a thing does.
SETTINGS = "name, timezone, latitude, longitude, last_frost, last_frost_sd_d, tariff_per_kwh, currency, practice"

FUNCTION = """
CREATE FUNCTION garden_settings_changed() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    NEW.shape := OLD.shape + 1;
    RETURN NEW;
END $$;
"""


def upgrade() -> None:
    op.execute(FUNCTION)
    old, new = (", ".join(f"{row}.{name.strip()}" for name in SETTINGS.split(",")) for row in ("OLD", "NEW"))
    op.execute(
        f"CREATE TRIGGER garden_shape_settings BEFORE UPDATE ON garden FOR EACH ROW WHEN (({old}) IS DISTINCT FROM ({new})) "
        "EXECUTE FUNCTION garden_settings_changed()"
    )
    op.execute("DROP TABLE placement")
    op.execute("DROP TABLE setting")
