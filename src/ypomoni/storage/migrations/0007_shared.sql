-- What several processes must know together: how often one has tried, and answers of the search in their new shape.
CREATE TABLE attempt (
    key text PRIMARY KEY,
    count integer NOT NULL,
    expires_at timestamptz NOT NULL
);

UPDATE job SET state = 'failed', body = NULL, progress = 'It was found by an earlier version. Search again.' WHERE body IS NOT NULL;
