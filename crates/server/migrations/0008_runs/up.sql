-- A run at the machine: its card as it was made from a proved plan, and what was typed into it. Both are kept as they were.
CREATE TABLE runs (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  job_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  piece INT NOT NULL,
  card LONGTEXT NOT NULL,
  shop_revision_id BIGINT NOT NULL,
  build CHAR(64) NOT NULL,
  person_id BIGINT NOT NULL,
  began DATETIME(3) NOT NULL,
  ended DATETIME(3) NULL,
  good BOOLEAN NULL,
  FOREIGN KEY (job_id) REFERENCES jobs (id),
  KEY by_shop (shop_id, id)
);
CREATE TABLE run_entries (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  run_id BIGINT NOT NULL,
  word VARCHAR(64) NOT NULL,
  person_id BIGINT NOT NULL,
  at_ms BIGINT NOT NULL,
  act LONGTEXT NOT NULL,
  kept_at DATETIME(3) NOT NULL,
  FOREIGN KEY (run_id) REFERENCES runs (id),
  UNIQUE KEY once (run_id, word)
);
