-- Applications that have an address of their own in the LAN, beside their host's.
ALTER TABLE app ADD COLUMN address TEXT;
