-- What a list of thousands of sites says of each, and what is due there, so that no site is read to be listed.
-- `touched` is the moment [µs] of the transaction that changed a site last, `seen` what it was when the summary was made: they differ while it is stale.
CREATE TABLE site_summary (
    site_id bigint PRIMARY KEY,
    organisation_id bigint NOT NULL,
    touched bigint NOT NULL,
    seen bigint,
    seen_shared bigint,
    engine text NOT NULL DEFAULT '',
    computed_on date,
    plan_id bigint,
    plan_key text,
    verdict text NOT NULL DEFAULT 'unknown',
    body text,
    measured_on date,
    -- When the first thing is due: −infinity where one has to be done now, whatever day that is.
    next_on date,
    -- Who works on it, until when; how often that came to nothing.
    claimed_until timestamptz,
    tries integer NOT NULL DEFAULT 0,
    CONSTRAINT site_summary_site FOREIGN KEY (organisation_id, site_id) REFERENCES site (organisation_id, id)
);
CREATE INDEX site_summary_organisation ON site_summary (organisation_id);
CREATE TABLE site_due (
    site_id bigint NOT NULL REFERENCES site_summary,
    organisation_id bigint NOT NULL,
    item_key text NOT NULL,
    kind text NOT NULL,
    what text NOT NULL,
    why text NOT NULL,
    -- Null where it has to be done now, whatever day that is.
    due_on date,
    supply_key text,
    PRIMARY KEY (site_id, item_key)
);
CREATE INDEX site_due_soonest ON site_due (organisation_id, due_on);
ALTER TABLE organisation ADD COLUMN shared_touched bigint NOT NULL DEFAULT 0;

INSERT INTO site_summary (site_id, organisation_id, touched) SELECT id, organisation_id, 1 FROM site;

CREATE FUNCTION touch_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE this bigint := (extract(epoch FROM transaction_timestamp()) * 1000000)::bigint;
BEGIN
    -- Once a transaction is enough: thousands of loads are changed in one.
    INSERT INTO site_summary AS s (site_id, organisation_id, touched)
    SELECT DISTINCT site_id, organisation_id, this FROM added WHERE site_id IS NOT NULL
    ON CONFLICT (site_id) DO UPDATE SET touched = this WHERE s.touched <> this;
    UPDATE organisation SET shared_touched = this
    WHERE id IN (SELECT organisation_id FROM added WHERE site_id IS NULL AND aggregate IN ('stock', 'instrument')) AND shared_touched <> this;
    RETURN NULL;
END $$;
CREATE TRIGGER change_touches AFTER INSERT ON change REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION touch_changed();

CREATE FUNCTION touch_plan() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE this bigint := (extract(epoch FROM transaction_timestamp()) * 1000000)::bigint;
BEGIN
    UPDATE site_summary SET touched = this
    WHERE site_id IN (SELECT p.site_id FROM added JOIN plan p ON p.organisation_id = added.organisation_id AND p.id = added.plan_id) AND touched <> this;
    RETURN NULL;
END $$;
CREATE TRIGGER reading_touches AFTER INSERT ON reading REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION touch_plan();
CREATE TRIGGER upkeep_done_touches AFTER INSERT ON upkeep_done REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION touch_plan();

-- In which batteries a block of a name was, and in which lots it was measured.
CREATE INDEX change_blocks_after ON change USING gin ((after -> 'bank_blocks') jsonb_path_ops) WHERE aggregate = 'supply';
CREATE INDEX change_blocks_before ON change USING gin ((before -> 'bank_blocks') jsonb_path_ops) WHERE aggregate = 'supply';
CREATE INDEX bank_blocks_named ON bank USING gin (blocks jsonb_path_ops);
CREATE INDEX battery_lot_blocks ON battery_lot USING gin (blocks jsonb_path_ops);
