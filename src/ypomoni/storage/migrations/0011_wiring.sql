-- What protects a bank, its lead, its blocks one by one; what a block in stock weighs and measures.
ALTER TABLE bank
    ADD COLUMN fuse_a double precision,
    ADD COLUMN fuse_dc_v double precision,
    ADD COLUMN isolator boolean,
    ADD COLUMN string_fuses boolean,
    ADD COLUMN lead_length_m double precision,
    ADD COLUMN lead_section_mm2 double precision,
    ADD COLUMN blocks jsonb NOT NULL DEFAULT '[]',
    ADD CONSTRAINT bank_lead CHECK ((lead_length_m IS NULL) = (lead_section_mm2 IS NULL));
ALTER TABLE stock
    ADD COLUMN weight_kg double precision,
    ADD COLUMN width_mm double precision,
    ADD COLUMN depth_mm double precision,
    ADD COLUMN height_mm double precision;
-- What is known of a block stands in the bank's own list, by its key; the table of empty places held nothing of it.
DROP TRIGGER bank_blocks ON bank;
DROP FUNCTION keep_blocks();
DROP TABLE block;
-- What was read while a charger was set up, with who and when. It is appended and never changed.
CREATE TABLE set_up_reading (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    supply_id bigint NOT NULL,
    account_id bigint,
    kind text NOT NULL,
    value double precision NOT NULL,
    told text NOT NULL,
    words text NOT NULL,
    day_degc double precision NOT NULL,
    diode text NOT NULL,
    stored_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT set_up_reading_supply FOREIGN KEY (organisation_id, supply_id) REFERENCES supply (organisation_id, id)
);
CREATE INDEX set_up_reading_by_supply ON set_up_reading (supply_id, id);
