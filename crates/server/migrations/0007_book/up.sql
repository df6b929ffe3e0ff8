-- What was done with the shop's book is kept as what was done with its rack: each entry before and after, so that an act can be taken back.
RENAME TABLE rack_acts TO acts;
ALTER TABLE acts ADD COLUMN about VARCHAR(10) NOT NULL DEFAULT 'rack';
