ALTER TABLE tasks DROP KEY by_kind, DROP KEY by_start, DROP COLUMN started_at, DROP COLUMN person_id, DROP COLUMN kind;
