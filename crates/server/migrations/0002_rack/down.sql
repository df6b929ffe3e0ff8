ALTER TABLE jobs DROP COLUMN offer;
DROP TABLE rack_acts;
DROP TABLE pieces;
