-- What a named part of a batch held, so that the same name with other content is told; null for parts from before.
ALTER TABLE batch_key ADD COLUMN content INTEGER;
