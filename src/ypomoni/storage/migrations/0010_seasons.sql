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
