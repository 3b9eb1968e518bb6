-- What stands between a battery and its loads: an inverter, or a converter that regulates its output; and runs of a UPS that were timed.
ALTER TABLE supply
    ADD COLUMN ac_output_v double precision,
    ADD COLUMN ac_rated_va double precision,
    ADD COLUMN ac_rated_w double precision,
    ADD COLUMN ac_overhead_w double precision,
    ADD COLUMN ac_efficiency_ratio double precision,
    ADD COLUMN ac_light_load_off_w double precision,
    ADD COLUMN ac_light_load_off_min double precision,
    ADD COLUMN ac_transfer_ms double precision,
    ADD COLUMN timed_runs jsonb NOT NULL DEFAULT '[]',
    ADD COLUMN dc_output_v double precision,
    ADD COLUMN dc_efficiency_ratio double precision,
    ADD COLUMN dc_idle_power_w double precision,
    ADD COLUMN dc_min_input_v double precision,
    ADD COLUMN dc_sleep_below_a double precision,
    ADD COLUMN dc_sleep_after_s double precision,
    ADD COLUMN dc_wakes_on_load boolean;

-- Supplies that back each other up, as they stand in the site file, and the loads that hang on one of them.
ALTER TABLE plan ADD COLUMN selectors jsonb NOT NULL DEFAULT '[]';
ALTER TABLE load ADD COLUMN selector_key text;

-- What a load on AC asks for when it starts, and what it would take of DC; what a block costs.
ALTER TABLE load
    ADD COLUMN ac_inrush_va double precision,
    ADD COLUMN ac_dc_v double precision,
    ADD COLUMN ac_adaptor_ratio double precision;
ALTER TABLE stock ADD COLUMN price double precision;

-- Small supplies that were measured on the bench, kept for the organisation.
CREATE TABLE bench_supply (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    chemistry text NOT NULL,
    cells_count integer NOT NULL,
    capacity_ah double precision NOT NULL,
    output_v double precision NOT NULL,
    idle_current_a double precision NOT NULL,
    sleep_below_a double precision,
    sleep_after_s double precision,
    wakes_on_load boolean,
    cutoff_v double precision,
    tried_down_to_v double precision,
    passes_through boolean,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT bench_supply_scope UNIQUE (organisation_id, id),
    CONSTRAINT bench_supply_key UNIQUE (organisation_id, key)
);
