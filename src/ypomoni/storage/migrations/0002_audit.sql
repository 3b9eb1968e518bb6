-- The audit: where loads are and what for, measuring points, readings, instruments, the library of devices.

-- One request is one batch: what it did is undone together.
ALTER TABLE change ADD COLUMN batch text;
CREATE INDEX change_by_batch ON change (organisation_id, batch);

CREATE TABLE place (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    site_id bigint NOT NULL,
    key text NOT NULL,
    name text NOT NULL,
    typical_degc double precision,
    min_degc double precision,
    monthly_degc jsonb,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT place_scope UNIQUE (organisation_id, id),
    CONSTRAINT place_site FOREIGN KEY (organisation_id, site_id) REFERENCES site (organisation_id, id),
    CONSTRAINT place_key UNIQUE (site_id, key)
);
CREATE INDEX place_by_site ON place (site_id);

CREATE TABLE instrument (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    hookup text NOT NULL,
    accuracy_ratio double precision NOT NULL,
    digits_count integer NOT NULL,
    display_count integer NOT NULL,
    offset_a double precision NOT NULL,
    ranges jsonb NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT instrument_scope UNIQUE (organisation_id, id),
    CONSTRAINT instrument_key UNIQUE (organisation_id, key)
);

ALTER TABLE supply ADD COLUMN totals jsonb NOT NULL DEFAULT '[]';

ALTER TABLE load
    ADD COLUMN place_id bigint,
    ADD COLUMN branch text,
    ADD COLUMN bus_group text,
    ADD COLUMN purpose text,
    ADD COLUMN cable_length_m double precision,
    ADD COLUMN cable_section_mm2 double precision,
    ADD COLUMN thermostats jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN recharges jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN ac_power_w double precision,
    ADD COLUMN ac_apparent_va double precision,
    ADD COLUMN ac_power_factor_ratio double precision,
    ADD COLUMN standby_uncertainty_a double precision,
    ADD COLUMN standby_reading text,
    ADD COLUMN alarm_uncertainty_a double precision,
    ADD COLUMN alarm_reading text,
    ADD CONSTRAINT load_place FOREIGN KEY (organisation_id, place_id) REFERENCES place (organisation_id, id);

CREATE TABLE point (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    key text NOT NULL,
    name text NOT NULL,
    kind text NOT NULL,
    supply_id bigint NOT NULL,
    parent_id bigint,
    load_id bigint,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT point_scope UNIQUE (organisation_id, id),
    CONSTRAINT point_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT point_supply FOREIGN KEY (organisation_id, supply_id) REFERENCES supply (organisation_id, id),
    CONSTRAINT point_parent FOREIGN KEY (organisation_id, parent_id) REFERENCES point (organisation_id, id),
    CONSTRAINT point_load FOREIGN KEY (organisation_id, load_id) REFERENCES load (organisation_id, id),
    CONSTRAINT point_key UNIQUE (plan_id, key)
);
CREATE INDEX point_by_plan ON point (plan_id);

-- Append only: a reading is superseded by another that says why, never edited away.
CREATE TABLE reading (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    point_id bigint NOT NULL,
    key text NOT NULL,
    state text NOT NULL,
    state_note text NOT NULL,
    mains text,
    value_a double precision NOT NULL,
    min_a double precision,
    max_a double precision,
    as_written text NOT NULL,
    positive_means text NOT NULL,
    battery_v double precision,
    instrument_id bigint,
    hookup text NOT NULL,
    temperature_degc double precision,
    taken_by text NOT NULL,
    taken_at timestamptz NOT NULL,
    remark text NOT NULL,
    supersedes_id bigint,
    reason text NOT NULL,
    open_questions jsonb NOT NULL,
    -- Made by whoever sends it, so that what is sent twice is stored once.
    token text NOT NULL,
    account_id bigint,
    stored_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT reading_scope UNIQUE (organisation_id, id),
    CONSTRAINT reading_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT reading_point FOREIGN KEY (organisation_id, point_id) REFERENCES point (organisation_id, id),
    CONSTRAINT reading_instrument FOREIGN KEY (organisation_id, instrument_id) REFERENCES instrument (organisation_id, id),
    CONSTRAINT reading_supersedes FOREIGN KEY (organisation_id, supersedes_id) REFERENCES reading (organisation_id, id),
    CONSTRAINT reading_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id),
    CONSTRAINT reading_key UNIQUE (plan_id, key),
    CONSTRAINT reading_token UNIQUE (organisation_id, token),
    CONSTRAINT reading_superseded_once UNIQUE (supersedes_id),
    CONSTRAINT reading_reason CHECK (supersedes_id IS NULL OR reason <> '')
);
CREATE INDEX reading_by_plan ON reading (plan_id);

-- The questions of a reading, answered: it is right as it stands.
CREATE TABLE reading_settled (
    organisation_id bigint NOT NULL,
    reading_id bigint NOT NULL,
    account_id bigint,
    settled_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (organisation_id, reading_id),
    CONSTRAINT settled_reading FOREIGN KEY (organisation_id, reading_id) REFERENCES reading (organisation_id, id),
    CONSTRAINT settled_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);

CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    RAISE EXCEPTION 'readings are append only';
END
$$;
CREATE TRIGGER reading_append_only BEFORE UPDATE OR DELETE ON reading FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER settled_append_only BEFORE UPDATE OR DELETE ON reading_settled FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- The organisation's own measured devices; the generic types ship with the application.
CREATE TABLE device (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    rail_v double precision NOT NULL,
    behaviour text NOT NULL,
    min_v double precision,
    standby_current_a double precision NOT NULL,
    alarm_current_a double precision,
    bursts jsonb NOT NULL,
    basis text NOT NULL,
    measured_count integer NOT NULL,
    measured_on date NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT device_scope UNIQUE (organisation_id, id),
    CONSTRAINT device_key UNIQUE (organisation_id, key)
);

-- A table on its way in: read, mapped, not yet confirmed.
CREATE TABLE import_draft (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    account_id bigint,
    file_name text NOT NULL,
    body jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT draft_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT draft_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);
