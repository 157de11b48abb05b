-- The name that a client gave to an edit: one that is sent again, for its answer was lost, is made once.
ALTER TABLE revision ADD COLUMN edit_key TEXT;
CREATE UNIQUE INDEX revision_by_edit ON revision (plan_id, edit_key) WHERE edit_key IS NOT NULL;
