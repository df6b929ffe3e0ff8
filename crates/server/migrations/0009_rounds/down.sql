DROP TABLE rounds;
