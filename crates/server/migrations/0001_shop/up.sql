CREATE TABLE shops (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL UNIQUE,
  units VARCHAR(8) NOT NULL DEFAULT 'mm',
  revision_id BIGINT NULL
);
CREATE TABLE shop_revisions (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  sha CHAR(64) NOT NULL,
  data LONGTEXT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  UNIQUE KEY one_of_a_kind (shop_id, sha),
  FOREIGN KEY (shop_id) REFERENCES shops (id)
);
CREATE TABLE people (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  name VARCHAR(80) NOT NULL UNIQUE,
  password VARCHAR(255) NOT NULL,
  owner BOOLEAN NOT NULL,
  active BOOLEAN NOT NULL DEFAULT TRUE,
  FOREIGN KEY (shop_id) REFERENCES shops (id)
);
CREATE TABLE sessions (
  token_sha CHAR(64) NOT NULL PRIMARY KEY,
  person_id BIGINT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  seen_at DATETIME(3) NOT NULL,
  FOREIGN KEY (person_id) REFERENCES people (id)
);
CREATE TABLE sign_in_failures (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  bucket VARCHAR(120) NOT NULL,
  at DATETIME(3) NOT NULL,
  KEY by_bucket (bucket, at)
);
-- Whatever is large, in pieces of at most 4 MB. `kept` is for what people brought; the rest can be computed again.
CREATE TABLE blobs (
  name VARCHAR(80) NOT NULL PRIMARY KEY,
  size BIGINT NOT NULL,
  kept BOOLEAN NOT NULL,
  used_at DATETIME(3) NOT NULL,
  KEY oldest (kept, used_at)
);
CREATE TABLE blob_pieces (
  name VARCHAR(80) NOT NULL,
  piece INT NOT NULL,
  bytes LONGBLOB NOT NULL,
  PRIMARY KEY (name, piece),
  FOREIGN KEY (name) REFERENCES blobs (name) ON DELETE CASCADE
);
CREATE TABLE jobs (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id BIGINT NOT NULL,
  title VARCHAR(120) NOT NULL,
  file VARCHAR(255) NOT NULL,
  model CHAR(64) NOT NULL,
  shop_revision_id BIGINT NOT NULL,
  revision BIGINT NOT NULL DEFAULT 0,
  archived BOOLEAN NOT NULL DEFAULT FALSE,
  made_at DATETIME(3) NOT NULL,
  sheet CHAR(64) NULL,
  sheet_revision BIGINT NULL,
  FOREIGN KEY (shop_id) REFERENCES shops (id),
  FOREIGN KEY (shop_revision_id) REFERENCES shop_revisions (id)
);
CREATE TABLE decisions (
  job_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  about VARCHAR(190) NOT NULL,
  body LONGTEXT NOT NULL,
  person_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL,
  undoes BIGINT NULL,
  redoes BIGINT NULL,
  PRIMARY KEY (job_id, revision),
  KEY by_about (job_id, about),
  FOREIGN KEY (job_id) REFERENCES jobs (id),
  FOREIGN KEY (person_id) REFERENCES people (id)
);
CREATE TABLE tasks (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  state VARCHAR(12) NOT NULL DEFAULT 'queued',
  stage VARCHAR(40) NOT NULL DEFAULT '',
  share DOUBLE NOT NULL DEFAULT 0,
  worker VARCHAR(80) NULL,
  tries INT NOT NULL DEFAULT 0,
  beat_at DATETIME(3) NULL,
  stop BOOLEAN NOT NULL DEFAULT FALSE,
  why LONGTEXT NULL,
  KEY waiting (state, id),
  KEY of_job (job_id, id),
  FOREIGN KEY (job_id) REFERENCES jobs (id)
);
-- A program that left the house is kept as it left, with all that it came from.
CREATE TABLE issued (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  job_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  side VARCHAR(40) NOT NULL,
  file VARCHAR(120) NOT NULL,
  program LONGTEXT NOT NULL,
  sheet LONGTEXT NOT NULL,
  shop_revision_id BIGINT NOT NULL,
  build CHAR(64) NOT NULL,
  person_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL,
  FOREIGN KEY (job_id) REFERENCES jobs (id)
);
