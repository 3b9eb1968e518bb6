-- Sessions live here, so that signing out ends them; accounts have a role, can be locked and removed, and may ask for a second factor.
ALTER TABLE account
    ADD COLUMN role text NOT NULL DEFAULT 'member',
    ADD COLUMN locked_at timestamptz,
    ADD COLUMN removed_at timestamptz,
    ADD COLUMN totp_secret text,
    -- The last step a code was taken for: no code is good twice.
    ADD COLUMN totp_step bigint NOT NULL DEFAULT 0,
    ADD COLUMN recovery_digests jsonb NOT NULL DEFAULT '[]',
    ADD CONSTRAINT account_role CHECK (role IN ('owner', 'member'));
-- Whoever came first to an organisation looks after it.
UPDATE account SET role = 'owner' WHERE id IN (SELECT min(id) FROM account GROUP BY organisation_id);
-- An address is free again once its account is removed.
DROP INDEX account_email;
CREATE UNIQUE INDEX account_email ON account (lower(email)) WHERE removed_at IS NULL;

CREATE TABLE session (
    -- Of the cookie's secret only a digest is kept.
    digest text PRIMARY KEY,
    organisation_id bigint NOT NULL,
    account_id bigint NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now(),
    seen_at timestamptz NOT NULL DEFAULT now(),
    CONSTRAINT session_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);
CREATE INDEX session_by_account ON session (account_id);

ALTER TABLE invitation
    ADD COLUMN role text NOT NULL DEFAULT 'member',
    ADD COLUMN revoked_at timestamptz,
    ADD CONSTRAINT invitation_role CHECK (role IN ('owner', 'member'));

-- The queue holds two kinds of work, serves organisations in turn, and knows who works on it.
ALTER TABLE job
    ADD COLUMN kind text NOT NULL DEFAULT 'moves',
    ADD COLUMN taken_at timestamptz,
    -- Figures are of supplies, whatever plan they are in.
    ALTER COLUMN plan_id DROP NOT NULL,
    ADD CONSTRAINT job_kind CHECK (kind IN ('moves', 'figures'));
CREATE INDEX job_by_organisation ON job (organisation_id, taken_at);

CREATE TABLE worker (
    name text PRIMARY KEY,
    seen_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX import_draft_by_organisation ON import_draft (organisation_id, id);

-- A way back in for somebody who lost password or second factor: a link that works once.
CREATE TABLE reset (
    token_digest text PRIMARY KEY,
    organisation_id bigint NOT NULL,
    account_id bigint NOT NULL,
    expires_at timestamptz NOT NULL,
    used_at timestamptz,
    CONSTRAINT reset_account FOREIGN KEY (organisation_id, account_id) REFERENCES account (organisation_id, id)
);
ALTER TABLE account DROP COLUMN session_epoch;
