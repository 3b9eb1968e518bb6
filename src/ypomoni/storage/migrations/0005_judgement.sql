-- Judgement: how a battery is charged, protected and housed, what a system is for, and what doors do without current.
ALTER TABLE requirement ADD COLUMN purpose text;
ALTER TABLE profile ADD COLUMN purpose text;

ALTER TABLE supply
    ADD COLUMN charge_mode text,
    ADD COLUMN charge_compensated boolean,
    ADD COLUMN current_limited boolean,
    ADD COLUMN max_degc double precision,
    ADD COLUMN enclosure_volume_m3 double precision,
    ADD COLUMN enclosure_gas_tight boolean NOT NULL DEFAULT false,
    ADD COLUMN bank_bms_limit_a double precision,
    ADD COLUMN bank_bms_cutoff_v double precision,
    ADD COLUMN bank_bms_charges_from_degc double precision;

ALTER TABLE load
    ADD COLUMN lock text,
    ADD COLUMN escape_route boolean NOT NULL DEFAULT false,
    ADD COLUMN ride_through_ms double precision;
