DROP TABLE backups;
ALTER TABLE shops DROP COLUMN quota_mb;
ALTER TABLE jobs DROP COLUMN deleted_at;
ALTER TABLE decisions DROP FOREIGN KEY decisions_ibfk_1, DROP KEY made_once, DROP COLUMN once;
ALTER TABLE decisions ADD FOREIGN KEY (job_id) REFERENCES jobs (id);
