-- Cuts that come again and again, as a week or as a history; windows of charge; what the sun gives.
ALTER TABLE requirement
    ADD COLUMN cuts_week jsonb,
    ADD COLUMN cuts_list jsonb,
    ADD COLUMN cuts_length_h double precision;
ALTER TABLE profile
    ADD COLUMN cuts_week jsonb,
    ADD COLUMN cuts_list jsonb,
    ADD COLUMN cuts_length_h double precision;
ALTER TABLE supply
    ADD COLUMN windows_week jsonb,
    ADD COLUMN solar_controller text,
    ADD COLUMN solar_panel_w double precision,
    ADD COLUMN solar_panel_imp_a double precision,
    ADD COLUMN solar_panel_isc_a double precision,
    ADD COLUMN solar_panels_count integer,
    ADD COLUMN solar_controller_current_a double precision,
    ADD COLUMN solar_blocking_diode boolean,
    ADD COLUMN solar_derate_ratio double precision,
    ADD COLUMN solar_sun_h_by_month jsonb;

-- Which record of the bench a supply goes by: when that is measured again, the supply follows.
ALTER TABLE supply
    ADD COLUMN bench_id bigint,
    ADD CONSTRAINT supply_bench FOREIGN KEY (organisation_id, bench_id) REFERENCES bench_supply (organisation_id, id);
CREATE INDEX supply_by_bench ON supply (bench_id) WHERE bench_id IS NOT NULL;
