-- Timed discharges of the banks of a plan.
ALTER TABLE plan ADD COLUMN tests jsonb NOT NULL DEFAULT '[]';
