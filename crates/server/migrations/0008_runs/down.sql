DROP TABLE run_entries;
DROP TABLE runs;
