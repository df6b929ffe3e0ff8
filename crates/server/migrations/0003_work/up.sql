-- Work of two kinds (a whole plan, or only what is seen of the part), asked for by somebody; whoever waits longest since the last turn is next.
ALTER TABLE tasks
  ADD COLUMN kind VARCHAR(8) NOT NULL DEFAULT 'plan',
  ADD COLUMN person_id BIGINT NULL,
  ADD COLUMN started_at DATETIME(3) NULL,
  ADD KEY by_kind (job_id, kind, id),
  ADD KEY by_start (started_at);
