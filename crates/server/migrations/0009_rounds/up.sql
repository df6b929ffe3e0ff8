-- A trainer's round: a fault hidden in a proved plan, what one person said of it, and what that was worth. It is that person's alone.
CREATE TABLE rounds (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT NOT NULL,
  person_id BIGINT NOT NULL,
  asked DATETIME(3) NOT NULL,
  truth LONGTEXT NULL,
  why LONGTEXT NULL,
  said LONGTEXT NULL,
  points INT NULL,
  ended DATETIME(3) NULL,
  FOREIGN KEY (job_id) REFERENCES jobs (id),
  FOREIGN KEY (person_id) REFERENCES people (id),
  KEY by_person (person_id, id)
);
