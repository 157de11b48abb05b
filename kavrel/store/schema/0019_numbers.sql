-- Numbers of accounts and groups, the same on every box; none: each box gives its own.
ALTER TABLE account ADD COLUMN number INTEGER;
ALTER TABLE account_group ADD COLUMN number INTEGER;
