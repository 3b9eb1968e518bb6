-- The work list of a proposal: what became of each step. Steps themselves come from the difference of two plans.
CREATE TABLE work_tick (
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    step_key text NOT NULL,
    state text NOT NULL CONSTRAINT work_tick_state CHECK (state IN ('done', 'not_done', 'open')),
    note text NOT NULL DEFAULT '',
    ticked_by text NOT NULL,
    ticked_at timestamptz NOT NULL,
    PRIMARY KEY (plan_id, step_key),
    CONSTRAINT work_tick_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);

-- Reports, as they were made. A signed one can be superseded and nothing else.
CREATE TABLE report (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    site_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    plan_key text NOT NULL,
    asked jsonb NOT NULL,
    state text NOT NULL DEFAULT 'queued',
    said text NOT NULL DEFAULT '',
    made_by text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    engine text NOT NULL DEFAULT '',
    sealed_site jsonb,
    pdf bytea,
    -- What is to be signed, until it is.
    unsigned_pdf bytea,
    signed_by text,
    signed_at timestamptz,
    superseded_by bigint,
    removed_at timestamptz,
    CONSTRAINT report_scope UNIQUE (organisation_id, id),
    CONSTRAINT report_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);
CREATE FUNCTION keep_signed_report() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
    IF OLD.signed_at IS NULL THEN
        RETURN CASE TG_OP WHEN 'DELETE' THEN OLD ELSE NEW END;
    END IF;
    IF TG_OP = 'UPDATE' AND NEW.superseded_by IS NOT NULL AND OLD.superseded_by IS NULL
        AND (to_jsonb(NEW) - 'superseded_by') = (to_jsonb(OLD) - 'superseded_by') THEN
        RETURN NEW;
    END IF;
    RAISE EXCEPTION 'a signed report cannot be altered or deleted' USING ERRCODE = 'restrict_violation', CONSTRAINT = 'report_signed';
END $$;
CREATE TRIGGER report_signed BEFORE UPDATE OR DELETE ON report FOR EACH ROW EXECUTE FUNCTION keep_signed_report();

-- The key an organisation signs with; its private part is sealed with the secret of the installation.
CREATE TABLE signing_key (
    organisation_id bigint PRIMARY KEY REFERENCES organisation,
    certificate_pem text NOT NULL,
    sealed_key bytea NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now()
);

-- What was done of what is due, and links for people without an account: a calendar, a report, a plan. Only digests of their secrets are kept.
CREATE TABLE upkeep_done (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    item_key text NOT NULL,
    done_on date NOT NULL,
    note text NOT NULL DEFAULT '',
    done_by text NOT NULL,
    stored_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT upkeep_done_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);
CREATE TABLE handed_link (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL REFERENCES organisation,
    kind text NOT NULL CONSTRAINT handed_link_kind CHECK (kind IN ('calendar', 'report', 'plan')),
    digest text NOT NULL CONSTRAINT handed_link_digest UNIQUE,
    report_id bigint,
    plan_id bigint,
    name text NOT NULL,
    made_by text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    ends_on date,
    revoked_at timestamptz,
    CONSTRAINT handed_link_report FOREIGN KEY (organisation_id, report_id) REFERENCES report (organisation_id, id),
    CONSTRAINT handed_link_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);
ALTER TABLE job DROP CONSTRAINT job_kind;
ALTER TABLE job ADD CONSTRAINT job_kind CHECK (kind IN ('moves', 'figures', 'report'));
