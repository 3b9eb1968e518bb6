-- Balance: what stays where it is, cable runs between places and supplies, who undid what, who is looking, and long work in a queue.
ALTER TABLE load ADD COLUMN pinned boolean NOT NULL DEFAULT false;
ALTER TABLE supply ADD COLUMN convenience_free boolean NOT NULL DEFAULT false;

-- A run belongs to the site: a supply is the same in every plan of it, by its key.
CREATE TABLE run (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    site_id bigint NOT NULL,
    place_id bigint NOT NULL,
    supply_key text NOT NULL,
    key text NOT NULL,
    name text NOT NULL,
    length_m double precision NOT NULL,
    section_mm2 double precision,
    version integer NOT NULL DEFAULT 1,
    removed_at timestamptz,
    CONSTRAINT run_scope UNIQUE (organisation_id, id),
    CONSTRAINT run_site FOREIGN KEY (organisation_id, site_id) REFERENCES site (organisation_id, id),
    CONSTRAINT run_place FOREIGN KEY (organisation_id, place_id) REFERENCES place (organisation_id, id),
    CONSTRAINT run_key UNIQUE (site_id, key)
);
CREATE UNIQUE INDEX run_pair ON run (site_id, place_id, supply_key) WHERE removed_at IS NULL;

-- The batch that a batch takes back, so that what was undone can be done again.
ALTER TABLE change ADD COLUMN undoes text;
CREATE INDEX change_by_site ON change (organisation_id, site_id, id);

CREATE TABLE presence (
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    account_id bigint NOT NULL,
    seen_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (plan_id, account_id),
    CONSTRAINT presence_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id),
    CONSTRAINT presence_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);

-- Work that takes long: taken by a worker, with its progress; what a dead worker left is taken again.
CREATE TABLE job (
    id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    organisation_id bigint NOT NULL,
    plan_id bigint NOT NULL,
    account_id bigint,
    plan_key text NOT NULL,
    objective text NOT NULL,
    search_s double precision NOT NULL,
    input_digest text NOT NULL,
    input text NOT NULL,
    state text NOT NULL DEFAULT 'queued',
    progress text NOT NULL DEFAULT '',
    body text,
    attempts integer NOT NULL DEFAULT 0,
    is_cancelled boolean NOT NULL DEFAULT false,
    created_at timestamptz NOT NULL DEFAULT now(),
    heartbeat_at timestamptz,
    CONSTRAINT job_state CHECK (state IN ('queued', 'running', 'done', 'failed', 'cancelled')),
    CONSTRAINT job_plan FOREIGN KEY (organisation_id, plan_id) REFERENCES plan (organisation_id, id)
);
CREATE INDEX job_waiting ON job (id) WHERE state IN ('queued', 'running');
