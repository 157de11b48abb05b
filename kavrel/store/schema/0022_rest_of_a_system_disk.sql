-- Where the system ends on the disk that a box boots from; none: nobody has said it.
ALTER TABLE host ADD COLUMN system_bytes INTEGER CHECK (system_bytes >= 0);
