ALTER TABLE acts DROP COLUMN about;
RENAME TABLE acts TO rack_acts;
