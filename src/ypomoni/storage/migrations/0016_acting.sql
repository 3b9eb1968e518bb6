-- What a person acts on: the fuse's kind and breaking capacity, what ends a charge, the cold, converters, waveforms.
ALTER TABLE bank
    ADD COLUMN fuse_kind text,
    ADD COLUMN fuse_breaks_a double precision,
    ADD COLUMN cold_charge_per_h double precision;
ALTER TABLE supply
    ADD COLUMN charge_ends text,
    ADD COLUMN ac_waveform text,
    ADD COLUMN ac_sold_with_ah double precision,
    ADD COLUMN dc_topology text,
    ADD COLUMN dc_dropout_v double precision;
ALTER TABLE load
    ADD COLUMN converter_topology text,
    ADD COLUMN converter_dropout_v double precision,
    ADD COLUMN ac_active_pfc boolean;
-- From which proposal a plan as left was made, so that its report knows what was done.
ALTER TABLE plan ADD COLUMN made_from_id bigint;
