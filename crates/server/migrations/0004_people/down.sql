DROP TABLE audit;
DROP TABLE known_browsers;
