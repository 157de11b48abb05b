-- What a run carried; none: nothing counted it.
ALTER TABLE run ADD COLUMN bytes INTEGER CHECK (bytes >= 0);
