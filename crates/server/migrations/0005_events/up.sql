-- What changed, for whoever watches: a row for each write that a screen shows. Old rows go by the clock.
CREATE TABLE events (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NULL,
  job_id BIGINT NULL,
  person_id BIGINT NULL,
  at DATETIME(3) NOT NULL,
  KEY by_age (at)
);
