-- A password that somebody else chose lets in once, to choose one's own.
ALTER TABLE person ADD COLUMN password_given INTEGER NOT NULL DEFAULT 0 CHECK (password_given IN (0, 1));
