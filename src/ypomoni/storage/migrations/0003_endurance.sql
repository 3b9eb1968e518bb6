-- Outages played: warning voltage, response time, the factors of autonomy, a block's resistance and discharge table; what can be bought;
-- requirement profiles of an organisation's own.
ALTER TABLE requirement
    ADD COLUMN response_h double precision,
    ADD COLUMN depth_ratio double precision NOT NULL DEFAULT 0.5,
    ADD COLUMN inverter_ratio double precision NOT NULL DEFAULT 1.0;

ALTER TABLE supply
    ADD COLUMN low_battery_v double precision,
    ADD COLUMN bank_resistance_ohm double precision,
    ADD COLUMN bank_discharge_table jsonb NOT NULL DEFAULT '[]';

CREATE TABLE stock (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    chemistry text NOT NULL,
    block_v double precision NOT NULL,
    capacity_ah double precision NOT NULL,
    rate_h double precision NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT stock_scope UNIQUE (organisation_id, id),
    CONSTRAINT stock_key UNIQUE (organisation_id, key)
);

CREATE TABLE profile (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    key text NOT NULL,
    name text NOT NULL,
    source text NOT NULL,
    standby_h double precision NOT NULL,
    alarm_min double precision NOT NULL,
    recharge_h double precision,
    recharge_to_ratio double precision NOT NULL,
    method text NOT NULL,
    end_of_life_ratio double precision NOT NULL,
    design_margin_ratio double precision NOT NULL,
    usable_ratio double precision NOT NULL,
    age_ratio double precision NOT NULL,
    activity_ratio double precision NOT NULL,
    response_h double precision,
    depth_ratio double precision NOT NULL,
    inverter_ratio double precision NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT profile_scope UNIQUE (organisation_id, id),
    CONSTRAINT profile_key UNIQUE (organisation_id, key)
);
