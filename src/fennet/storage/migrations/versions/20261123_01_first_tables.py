"""The first tables.

Written out, without importing the models, so that this step stays what it was when the models move on.
A test compares the migrated database with the models.
"""

from alembic import op

revision = "20261123_01"
down_revision = None
branch_labels = None
depends_on = None

TABLES = """
CREATE TABLE garden (
    id SERIAL NOT NULL,
    slug VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    timezone VARCHAR NOT NULL,
    latitude FLOAT,
    longitude FLOAT,
    last_frost VARCHAR,
    last_frost_sd_d FLOAT,
    tariff_per_kwh FLOAT,
    currency VARCHAR,
    practice JSONB,
    demo BOOLEAN NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (slug)
);

CREATE TABLE person (
    id SERIAL NOT NULL,
    name VARCHAR NOT NULL,
    password_hash VARCHAR NOT NULL,
    created_at TIMESTAMP WITH TIME ZONE NOT NULL,
    temperature_unit VARCHAR NOT NULL,
    locale VARCHAR NOT NULL,
    session_mark VARCHAR NOT NULL,
    PRIMARY KEY (id),
    UNIQUE (name)
);

CREATE TABLE reading (
    series_id INTEGER NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    value DOUBLE PRECISION NOT NULL,
    canonical DOUBLE PRECISION,
    unit VARCHAR NOT NULL,
    under VARCHAR,
    estimated BOOLEAN,
    PRIMARY KEY (series_id, at)
);

CREATE TABLE event (
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    kind VARCHAR NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    by VARCHAR,
    author_id INTEGER,
    recorded_at TIMESTAMP WITH TIME ZONE NOT NULL,
    batch VARCHAR,
    tray VARCHAR,
    target VARCHAR,
    body JSONB NOT NULL,
    PRIMARY KEY (position),
    CONSTRAINT event_id UNIQUE (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE,
    FOREIGN KEY(author_id) REFERENCES person (id)
);

CREATE INDEX event_subject ON event (garden_id, batch, tray);

CREATE TABLE kept_entry (
    garden_id INTEGER NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    section VARCHAR NOT NULL,
    body JSONB NOT NULL,
    PRIMARY KEY (position),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE INDEX ix_kept_entry_garden_id ON kept_entry (garden_id);

CREATE TABLE logger_mapping (
    garden_id INTEGER NOT NULL,
    name VARCHAR NOT NULL,
    body JSONB NOT NULL,
    PRIMARY KEY (garden_id, name),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE membership (
    garden_id INTEGER NOT NULL,
    person_id INTEGER NOT NULL,
    role VARCHAR NOT NULL,
    PRIMARY KEY (garden_id, person_id),
    CONSTRAINT membership_role CHECK (role in ('owner', 'helper', 'viewer')),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE,
    FOREIGN KEY(person_id) REFERENCES person (id) ON DELETE CASCADE
);

CREATE TABLE outlet (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    limit_w FLOAT,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE own_crop (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    body JSONB NOT NULL,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE photo (
    id SERIAL NOT NULL,
    garden_id INTEGER NOT NULL,
    thing VARCHAR NOT NULL,
    taken_at TIMESTAMP WITH TIME ZONE NOT NULL,
    mime VARCHAR NOT NULL,
    width_px INTEGER NOT NULL,
    height_px INTEGER NOT NULL,
    image BYTEA NOT NULL,
    thumbnail BYTEA NOT NULL,
    PRIMARY KEY (id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE INDEX ix_photo_garden_id ON photo (garden_id);

CREATE TABLE placement (
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    garden_id INTEGER NOT NULL,
    tray VARCHAR NOT NULL,
    place VARCHAR NOT NULL,
    x_mm FLOAT,
    y_mm FLOAT,
    during TSTZRANGE NOT NULL,
    PRIMARY KEY (position),
    CONSTRAINT one_place_for_a_tray EXCLUDE USING gist (garden_id WITH =, tray WITH =, during WITH &&),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE promise (
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    garden_id INTEGER NOT NULL,
    kind VARCHAR,
    subject VARCHAR,
    made_at TIMESTAMP WITH TIME ZONE,
    body JSONB NOT NULL,
    PRIMARY KEY (position),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE INDEX promise_subject ON promise (garden_id, subject, kind, made_at);

CREATE TABLE seed_lot (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    crop VARCHAR NOT NULL,
    variety VARCHAR,
    source VARCHAR,
    mother VARCHAR,
    packed INTEGER,
    storage VARCHAR,
    rate FLOAT,
    seeds INTEGER,
    treated BOOLEAN,
    tests JSONB,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE sent (
    garden_id INTEGER NOT NULL,
    key VARCHAR NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    outcome JSONB,
    PRIMARY KEY (garden_id, key),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE setting (
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    garden_id INTEGER NOT NULL,
    thing VARCHAR NOT NULL,
    what VARCHAR NOT NULL,
    value JSONB NOT NULL,
    during TSTZRANGE NOT NULL,
    PRIMARY KEY (position),
    CONSTRAINT one_setting_at_a_time EXCLUDE USING gist (garden_id WITH =, thing WITH =, what WITH =, during WITH &&),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE source (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    kind VARCHAR,
    sited VARCHAR,
    calibration JSONB,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE thing (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    kind VARCHAR NOT NULL,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE upload (
    garden_id INTEGER NOT NULL,
    key VARCHAR NOT NULL,
    name VARCHAR NOT NULL,
    at TIMESTAMP WITH TIME ZONE NOT NULL,
    content BYTEA NOT NULL,
    PRIMARY KEY (garden_id, key),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE TABLE want (
    garden_id INTEGER NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    crop VARCHAR NOT NULL,
    variety VARCHAR,
    plants INTEGER,
    out_by DATE,
    spares INTEGER,
    PRIMARY KEY (position),
    FOREIGN KEY(garden_id) REFERENCES garden (id) ON DELETE CASCADE
);

CREATE INDEX ix_want_garden_id ON want (garden_id);

CREATE TABLE fan (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    place VARCHAR,
    watts FLOAT,
    outlet VARCHAR,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE lamp (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    place VARCHAR,
    kind VARCHAR,
    watts FLOAT,
    lumens FLOAT,
    lux_per_ppfd FLOAT,
    length_mm FLOAT,
    min_distance_mm FLOAT,
    outlet VARCHAR,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE mat (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    watts FLOAT,
    control VARCHAR,
    trays_max INTEGER,
    width_mm FLOAT,
    depth_mm FLOAT,
    outlet VARCHAR,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE place (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    room VARCHAR,
    kind VARCHAR,
    name VARCHAR,
    width_mm FLOAT,
    depth_mm FLOAT,
    x_mm FLOAT,
    y_mm FLOAT,
    z_mm FLOAT,
    facing_deg FLOAT,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE room (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    name VARCHAR,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE series (
    id SERIAL NOT NULL,
    garden_id INTEGER NOT NULL,
    place VARCHAR NOT NULL,
    quantity VARCHAR NOT NULL,
    source VARCHAR,
    x_mm FLOAT,
    y_mm FLOAT,
    z_mm FLOAT,
    PRIMARY KEY (id),
    CONSTRAINT series_identity UNIQUE NULLS NOT DISTINCT (garden_id, place, quantity, source, x_mm, y_mm, z_mm),
    FOREIGN KEY(garden_id, place) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE tray (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    kind VARCHAR,
    name VARCHAR,
    rows INTEGER,
    columns INTEGER,
    cell_ml FLOAT,
    width_mm FLOAT,
    depth_mm FLOAT,
    height_mm FLOAT,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE
);

CREATE TABLE batch (
    garden_id INTEGER NOT NULL,
    id VARCHAR NOT NULL,
    position INTEGER GENERATED ALWAYS AS IDENTITY,
    crop VARCHAR NOT NULL,
    sown_at TIMESTAMP WITH TIME ZONE NOT NULL,
    tray VARCHAR,
    cell_list TEXT[],
    cells INTEGER,
    seeds INTEGER,
    seed_lot VARCHAR,
    variety VARCHAR,
    set_up VARCHAR,
    seeds_per_cell INTEGER,
    depth_mm FLOAT,
    mix JSONB,
    covered_with VARCHAR,
    pretreatment JSONB,
    from_batch VARCHAR,
    practice JSONB,
    PRIMARY KEY (garden_id, id),
    FOREIGN KEY(garden_id, id) REFERENCES thing (garden_id, id) ON DELETE CASCADE,
    FOREIGN KEY(garden_id, tray) REFERENCES tray (garden_id, id),
    FOREIGN KEY(garden_id, seed_lot) REFERENCES seed_lot (garden_id, id),
    FOREIGN KEY(garden_id, from_batch) REFERENCES batch (garden_id, id) DEFERRABLE INITIALLY DEFERRED,
    CONSTRAINT batch_has_cells CHECK (cells is not null or cell_list is not null or seeds is not null)
);

CREATE TABLE reading_hour (
    series_id INTEGER NOT NULL,
    hour TIMESTAMP WITH TIME ZONE NOT NULL,
    at_s DOUBLE PRECISION NOT NULL,
    mean DOUBLE PRECISION NOT NULL,
    low DOUBLE PRECISION NOT NULL,
    high DOUBLE PRECISION NOT NULL,
    n INTEGER NOT NULL,
    estimated BOOLEAN NOT NULL,
    PRIMARY KEY (series_id, hour),
    FOREIGN KEY(series_id) REFERENCES series (id) ON DELETE CASCADE
);

CREATE TABLE cell_stay (
    garden_id INTEGER NOT NULL,
    batch VARCHAR NOT NULL,
    tray VARCHAR NOT NULL,
    cell VARCHAR NOT NULL,
    during TSTZRANGE NOT NULL,
    PRIMARY KEY (garden_id, batch, tray, cell),
    CONSTRAINT one_batch_in_a_cell EXCLUDE USING gist (garden_id WITH =, tray WITH =, cell WITH =, during WITH &&),
    FOREIGN KEY(garden_id, batch) REFERENCES batch (garden_id, id) ON DELETE CASCADE
);
"""

GUARDS = """
CREATE FUNCTION event_is_append_only() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    -- A garden's removal may take its events along; nothing else may touch them.
    IF tg_op = 'DELETE' AND pg_trigger_depth() > 1 THEN
        RETURN old;
    END IF;
    RAISE EXCEPTION 'events are append-only: write a correction or a withdrawal';
END $$;

CREATE FUNCTION readings_go_with_series() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    DELETE FROM reading WHERE series_id = old.id;
    RETURN old;
END $$;

CREATE TRIGGER series_takes_readings AFTER DELETE ON series FOR EACH ROW EXECUTE FUNCTION readings_go_with_series();

CREATE TRIGGER event_append_only BEFORE UPDATE OR DELETE ON event FOR EACH ROW EXECUTE FUNCTION event_is_append_only();
"""


def upgrade() -> None:
    op.execute("CREATE EXTENSION IF NOT EXISTS btree_gist")
    op.execute(TABLES)
    op.execute(GUARDS)
