-- A decision that is sent again because its answer was lost is made once: its sender's own word for it.
ALTER TABLE decisions ADD COLUMN once VARCHAR(64) NULL, ADD UNIQUE KEY made_once (job_id, person_id, once);
-- What was thrown away can be taken back for a while.
ALTER TABLE jobs ADD COLUMN deleted_at DATETIME(3) NULL;
-- What a shop may fill, MB.
ALTER TABLE shops ADD COLUMN quota_mb BIGINT NOT NULL DEFAULT 20480;
-- Backups that were made, or failed.
CREATE TABLE backups (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(3) NOT NULL,
  file VARCHAR(400) NOT NULL,
  bytes BIGINT NOT NULL,
  why VARCHAR(400) NULL
);
