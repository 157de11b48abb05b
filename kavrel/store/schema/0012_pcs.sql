-- PCs that people work at: their system, and the share that their own copies land in.
ALTER TABLE host ADD COLUMN system TEXT NOT NULL DEFAULT 'windows' CHECK (system IN ('windows', 'macos', 'linux'));
ALTER TABLE job ADD COLUMN lands_share TEXT;
