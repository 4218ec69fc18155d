-- What rows are: 0 records of logs, 1 spans. Batches of spans in the table signal are moved here one by one; it goes with the last.
ALTER TABLE recent ADD COLUMN signal INTEGER NOT NULL DEFAULT 0;
ALTER TABLE segment ADD COLUMN signal INTEGER NOT NULL DEFAULT 0;
