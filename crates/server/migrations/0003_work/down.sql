ALTER TABLE tasks DROP KEY by_kind, DROP COLUMN started_at, DROP COLUMN person_id, DROP COLUMN kind;
