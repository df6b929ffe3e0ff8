-- What lies in the rack: one row for pieces that are alike, by their tag.
CREATE TABLE pieces (
  shop_id BIGINT NOT NULL,
  tag VARCHAR(60) NOT NULL,
  body LONGTEXT NOT NULL,
  PRIMARY KEY (shop_id, tag),
  FOREIGN KEY (shop_id) REFERENCES shops (id)
);
-- What was done with it. `changes` holds every piece before and after, so that an act can be taken back.
CREATE TABLE rack_acts (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  person_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL,
  words VARCHAR(400) NOT NULL,
  changes LONGTEXT NOT NULL,
  job_id BIGINT NULL,
  undoes BIGINT NULL,
  redoes BIGINT NULL,
  KEY of_shop (shop_id, id),
  FOREIGN KEY (shop_id) REFERENCES shops (id),
  FOREIGN KEY (person_id) REFERENCES people (id),
  FOREIGN KEY (job_id) REFERENCES jobs (id)
);
-- The piece that is proposed for a job, with what it was looked out for.
ALTER TABLE jobs ADD COLUMN offer LONGTEXT NULL;
