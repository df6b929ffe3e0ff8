-- Browsers in which somebody has signed in before: strangers who guess at a name do not hold them up.
CREATE TABLE known_browsers (
  token_sha CHAR(64) NOT NULL,
  person_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL,
  PRIMARY KEY (token_sha, person_id),
  FOREIGN KEY (person_id) REFERENCES people (id)
);
-- Who did what when.
CREATE TABLE audit (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  person_id BIGINT NULL,
  who VARCHAR(80) NOT NULL,
  at DATETIME(3) NOT NULL,
  what VARCHAR(24) NOT NULL,
  words VARCHAR(400) NOT NULL,
  client VARCHAR(64) NOT NULL DEFAULT '',
  KEY of_shop (shop_id, id),
  FOREIGN KEY (shop_id) REFERENCES shops (id)
);
