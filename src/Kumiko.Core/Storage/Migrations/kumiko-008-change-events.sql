-- The id and the source of the event that told a change; the keys of changes have had both since they are kept.
ALTER TABLE change ADD COLUMN event_id TEXT NOT NULL DEFAULT '';
ALTER TABLE change ADD COLUMN event_source TEXT NOT NULL DEFAULT '';
UPDATE change SET
    event_id = substr(key, instr(key, '#') + 1),
    event_source = substr(key, instr(key, ' ') + 1, instr(key, '#') - instr(key, ' ') - 1)
WHERE source <> 'written down' AND instr(key, '#') > instr(key, ' ') AND instr(key, ' ') > 0;
