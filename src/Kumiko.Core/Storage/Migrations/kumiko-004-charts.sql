-- Charts are kept and frozen as searches are.
ALTER TABLE kept_search ADD COLUMN kind TEXT NOT NULL DEFAULT 'search';
ALTER TABLE frozen_result ADD COLUMN kind TEXT NOT NULL DEFAULT 'search';
