-- What was done with the shop's book. `changes` holds every entry before and after, so that an act can be taken back; the revision is the one it made.
CREATE TABLE book_acts (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  person_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL,
  words VARCHAR(400) NOT NULL,
  changes LONGTEXT NOT NULL,
  revision_id BIGINT NOT NULL,
  undoes BIGINT NULL,
  redoes BIGINT NULL,
  KEY of_shop (shop_id, id),
  FOREIGN KEY (shop_id) REFERENCES shops (id),
  FOREIGN KEY (person_id) REFERENCES people (id),
  FOREIGN KEY (revision_id) REFERENCES shop_revisions (id)
);
