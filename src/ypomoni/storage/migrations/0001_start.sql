-- Every table belongs to an organisation; references carry it, so that no row can point into another organisation.

CREATE TABLE organisation (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE account (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    email text NOT NULL,
    name text NOT NULL,
    password_hash text NOT NULL,
    -- Raised by a change of password: sessions of the old one end.
    session_epoch integer NOT NULL DEFAULT 0,
    created_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT account_scope UNIQUE (organisation_id, id)
);
CREATE UNIQUE INDEX account_email ON account (lower(email));

CREATE TABLE invitation (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    email text NOT NULL,
    token_digest text NOT NULL UNIQUE,
    invited_by bigint NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    expires_at timestamptz NOT NULL,
    accepted_at timestamptz,
    CONSTRAINT invitation_inviter FOREIGN KEY (organisation_id, invited_by) REFERENCES account (organisation_id, id)
);

CREATE TABLE site (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    name text NOT NULL,
    typical_degc double precision NOT NULL,
    min_degc double precision NOT NULL,
    max_degc double precision,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT site_scope UNIQUE (organisation_id, id),
    CONSTRAINT site_temperatures CHECK (min_degc <= typical_degc AND (max_degc IS NULL OR max_degc >= typical_degc))
);

CREATE TABLE requirement (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    site_id bigint NOT NULL,
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
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT requirement_scope UNIQUE (organisation_id, id),
    CONSTRAINT requirement_site FOREIGN KEY (organisation_id, site_id) REFERENCES site (organisation_id, id),
    CONSTRAINT requirement_key UNIQUE (site_id, key)
);

CREATE TABLE plan (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    site_id bigint NOT NULL,
    key text NOT NULL,
    name text NOT NULL,
    stage text NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT plan_scope UNIQUE (organisation_id, id),
    CONSTRAINT plan_site FOREIGN KEY (organisation_id, site_id) REFERENCES site (organisation_id, id),
    CONSTRAINT plan_key UNIQUE (site_id, key)
);

CREATE TABLE supply (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    requirement_id bigint NOT NULL,
    key text NOT NULL,
    name text NOT NULL,
    kind text NOT NULL,
    nominal_v double precision NOT NULL,
    cutoff_v double precision,
    own_current_a double precision NOT NULL,
    output_limit_a double precision,
    alarm_output_limit_a double precision,
    supply_current_a double precision,
    charge_limit_a double precision,
    charge_v double precision,
    typical_degc double precision,
    min_degc double precision,
    -- The bank is part of its supply; chemistry NULL means there is none.
    bank_chemistry text,
    bank_block_v double precision,
    bank_capacity_ah double precision,
    bank_rate_h double precision,
    bank_series integer,
    bank_parallel integer,
    bank_age_y double precision,
    bank_condition_ratio double precision,
    bank_life_y double precision,
    bank_cells_count integer,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT supply_scope UNIQUE (organisation_id, id),
    CONSTRAINT supply_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT supply_requirement FOREIGN KEY (organisation_id, requirement_id) REFERENCES requirement (organisation_id, id),
    CONSTRAINT supply_key UNIQUE (plan_id, key)
);

CREATE TABLE load (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    supply_id bigint,
    key text NOT NULL,
    name text NOT NULL,
    quantity integer NOT NULL,
    rail_v double precision NOT NULL,
    behaviour text NOT NULL,
    converter_kind text,
    converter_efficiency_ratio double precision,
    min_v double precision,
    essential boolean NOT NULL,
    standby_current_a double precision NOT NULL,
    standby_provenance text NOT NULL,
    standby_text text,
    alarm_current_a double precision,
    alarm_provenance text,
    alarm_text text,
    bursts jsonb NOT NULL,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT load_scope UNIQUE (organisation_id, id),
    CONSTRAINT load_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT load_supply FOREIGN KEY (organisation_id, supply_id) REFERENCES supply (organisation_id, id),
    CONSTRAINT load_key UNIQUE (plan_id, key),
    CONSTRAINT load_quantity CHECK (quantity >= 1)
);
CREATE INDEX requirement_by_site ON requirement (site_id);
CREATE INDEX plan_by_site ON plan (site_id);
CREATE INDEX supply_by_plan ON supply (plan_id);
CREATE INDEX load_by_plan ON load (plan_id);

-- Results by what went in: a supply that was not touched is never computed again.
CREATE TABLE result (
    organisation_id bigint NOT NULL REFERENCES organisation,
    input_digest text NOT NULL,
    engine_version text NOT NULL,
    body text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (organisation_id, input_digest, engine_version)
);

-- One row a change: who, when, what, before and after.
CREATE TABLE change (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    account_id bigint,
    changed_at timestamptz NOT NULL DEFAULT now(),
    verb text NOT NULL,
    aggregate text NOT NULL,
    aggregate_id bigint NOT NULL,
    site_id bigint,
    before jsonb,
    after jsonb,
    CONSTRAINT change_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);
CREATE INDEX change_by_aggregate ON change (organisation_id, aggregate, aggregate_id);

CREATE TABLE setting (
    organisation_id bigint NOT NULL REFERENCES organisation,
    name text NOT NULL,
    value text NOT NULL,
    PRIMARY KEY (organisation_id, name)
);
