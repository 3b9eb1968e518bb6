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
