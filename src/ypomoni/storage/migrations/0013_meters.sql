-- Devices and batteries on the bench, meters that log by themselves, and discharges that are being timed.
CREATE TABLE benched_device (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    supply_v double precision NOT NULL,
    instrument_key text,
    jack text,
    min_v double precision,
    claim_current_a double precision,
    claim_h double precision,
    claim_ah double precision,
    claim_w double precision,
    out_v double precision,
    out_a double precision,
    modes jsonb NOT NULL DEFAULT '[]',
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT benched_device_scope UNIQUE (organisation_id, id),
    CONSTRAINT benched_device_key UNIQUE (organisation_id, key)
);
CREATE TABLE battery_lot (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    chemistry text NOT NULL,
    block_v double precision NOT NULL,
    capacity_ah double precision NOT NULL,
    rate_h double precision NOT NULL,
    is_charged boolean NOT NULL,
    rested_h double precision,
    temperature_degc double precision NOT NULL,
    load_a double precision,
    load_s double precision,
    tested_on text,
    series integer NOT NULL,
    sag_doubtful_ratio double precision NOT NULL,
    sag_reject_ratio double precision NOT NULL,
    resistance_doubtful_ratio double precision NOT NULL,
    resistance_reject_ratio double precision NOT NULL,
    blocks jsonb NOT NULL DEFAULT '[]',
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT battery_lot_scope UNIQUE (organisation_id, id),
    CONSTRAINT battery_lot_key UNIQUE (organisation_id, key)
);

-- A discharge that is being timed, with its prediction as it was fixed before it began. Its readings come by hand or from a meter.
CREATE TABLE discharge_run (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    plan_id bigint NOT NULL,
    supply_key text NOT NULL,
    begun_at timestamptz NOT NULL,
    begun_by text NOT NULL,
    temperature_degc double precision NOT NULL,
    -- What discharges it; null: the loads of the plan, which cycle.
    current_a double precision,
    mean_a double precision NOT NULL,
    end_v double precision NOT NULL,
    predicted jsonb NOT NULL,
    ended_at timestamptz,
    -- What became of it: kept as a test of the plan, or given up.
    outcome text,
    CONSTRAINT discharge_run_scope UNIQUE (organisation_id, id),
    CONSTRAINT discharge_run_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);
CREATE UNIQUE INDEX discharge_run_one ON discharge_run (plan_id, supply_key) WHERE ended_at IS NULL;
CREATE TABLE discharge_reading (
    organisation_id bigint NOT NULL,
    run_id bigint NOT NULL,
    -- Made by the page that sends it, so that it counts once however often it is sent.
    token text NOT NULL,
    read_at timestamptz NOT NULL,
    terminal_v double precision,
    current_a double precision,
    PRIMARY KEY (run_id, token),
    CONSTRAINT discharge_reading_run FOREIGN KEY (organisation_id, run_id) REFERENCES discharge_run (organisation_id, id)
);

-- What a meter logged, or is logging. Its samples come in chunks that are written once.
CREATE TABLE recording (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    name text NOT NULL,
    -- Where its meter is; null where a file was brought in.
    address text,
    meter_kind text NOT NULL,
    state text NOT NULL,
    said text NOT NULL DEFAULT '',
    identity text NOT NULL DEFAULT '',
    interval_s double precision NOT NULL,
    range_a double precision,
    load_a double precision,
    end_v double precision,
    run_id bigint,
    begun_by text NOT NULL,
    begun_at timestamptz NOT NULL,
    beat_at timestamptz,
    ended_at timestamptz,
    stop_asked boolean NOT NULL DEFAULT false,
    samples_count integer NOT NULL DEFAULT 0,
    overloads_count integer NOT NULL DEFAULT 0,
    garbage_count integer NOT NULL DEFAULT 0,
    lost_count integer NOT NULL DEFAULT 0,
    last_a double precision,
    last_v double precision,
    removed_at timestamptz,
    CONSTRAINT recording_scope UNIQUE (organisation_id, id),
    CONSTRAINT recording_run FOREIGN KEY (organisation_id, run_id) REFERENCES discharge_run (organisation_id, id)
);
-- A meter serves one session at a time, whoever asks.
CREATE UNIQUE INDEX recording_one_session ON recording (address) WHERE state = 'running';
CREATE INDEX recording_by_organisation ON recording (organisation_id, id);
CREATE TABLE recording_chunk (
    organisation_id bigint NOT NULL,
    recording_id bigint NOT NULL,
    first_n integer NOT NULL,
    t_s double precision[] NOT NULL,
    current_a double precision[] NOT NULL,
    terminal_v double precision[],
    PRIMARY KEY (recording_id, first_n),
    CONSTRAINT recording_chunk_of FOREIGN KEY (organisation_id, recording_id) REFERENCES recording (organisation_id, id)
);
