-- A bank is a record of its own, and so is each of its blocks: tests, wiring and history hang on them.
CREATE TABLE bank (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    supply_id bigint NOT NULL,
    chemistry text NOT NULL,
    block_v double precision NOT NULL,
    capacity_ah double precision NOT NULL,
    rate_h double precision NOT NULL,
    series integer NOT NULL,
    parallel integer NOT NULL,
    age_y double precision NOT NULL,
    condition_ratio double precision,
    life_y double precision,
    cells_count integer,
    resistance_ohm double precision,
    bms_limit_a double precision,
    bms_cutoff_v double precision,
    bms_charges_from_degc double precision,
    discharge_table jsonb NOT NULL DEFAULT '[]',
    removed_at timestamptz,
    CONSTRAINT bank_scope UNIQUE (organisation_id, id),
    CONSTRAINT bank_supply FOREIGN KEY (organisation_id, supply_id) REFERENCES supply (organisation_id, id),
    -- One bank a supply. A bank that was taken out waits here, and is the same one when it is put back.
    CONSTRAINT bank_once UNIQUE (supply_id)
);

-- Where a block stands: its string, and its place in it counted from the minus pole.
CREATE TABLE block (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    bank_id bigint NOT NULL,
    string_no integer NOT NULL,
    place_no integer NOT NULL,
    removed_at timestamptz,
    CONSTRAINT block_scope UNIQUE (organisation_id, id),
    CONSTRAINT block_bank FOREIGN KEY (organisation_id, bank_id) REFERENCES bank (organisation_id, id),
    CONSTRAINT block_place UNIQUE (bank_id, string_no, place_no)
);

-- A bank has as many blocks as it says. Beyond a thousand nobody keeps a record of each, and a file could ask for millions.
CREATE FUNCTION keep_blocks() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    UPDATE block SET removed_at = CASE WHEN string_no > NEW.parallel OR place_no > NEW.series THEN now() END
    WHERE bank_id = NEW.id AND (removed_at IS NULL) = (string_no > NEW.parallel OR place_no > NEW.series);
    IF NEW.series * NEW.parallel <= 1000 THEN
        INSERT INTO block (organisation_id, bank_id, string_no, place_no)
        SELECT NEW.organisation_id, NEW.id, s, p FROM generate_series(1, NEW.parallel) s, generate_series(1, NEW.series) p
        ON CONFLICT (bank_id, string_no, place_no) DO NOTHING;
    END IF;
    RETURN NULL;
END
$$;
CREATE TRIGGER bank_blocks AFTER INSERT OR UPDATE OF series, parallel ON bank FOR EACH ROW EXECUTE FUNCTION keep_blocks();

INSERT INTO bank (
    organisation_id, supply_id, chemistry, block_v, capacity_ah, rate_h, series, parallel, age_y, condition_ratio, life_y, cells_count,
    resistance_ohm, bms_limit_a, bms_cutoff_v, bms_charges_from_degc, discharge_table
)
SELECT
    organisation_id, id, bank_chemistry, bank_block_v, bank_capacity_ah, bank_rate_h, bank_series, bank_parallel, coalesce(bank_age_y, 0),
    bank_condition_ratio, bank_life_y, bank_cells_count, bank_resistance_ohm, bank_bms_limit_a, bank_bms_cutoff_v,
    bank_bms_charges_from_degc, bank_discharge_table
FROM supply WHERE bank_chemistry IS NOT NULL ORDER BY id;

ALTER TABLE supply
    DROP COLUMN bank_chemistry,
    DROP COLUMN bank_block_v,
    DROP COLUMN bank_capacity_ah,
    DROP COLUMN bank_rate_h,
    DROP COLUMN bank_series,
    DROP COLUMN bank_parallel,
    DROP COLUMN bank_age_y,
    DROP COLUMN bank_condition_ratio,
    DROP COLUMN bank_life_y,
    DROP COLUMN bank_cells_count,
    DROP COLUMN bank_resistance_ohm,
    DROP COLUMN bank_discharge_table,
    DROP COLUMN bank_bms_limit_a,
    DROP COLUMN bank_bms_cutoff_v,
    DROP COLUMN bank_bms_charges_from_degc;
