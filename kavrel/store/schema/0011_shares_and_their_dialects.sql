-- Shares that no list shows, those for PCs' own backups, and which dialects of SMB a box speaks.
ALTER TABLE share ADD COLUMN hidden INTEGER NOT NULL DEFAULT 0 CHECK (hidden IN (0, 1));
ALTER TABLE share ADD COLUMN pc_backups INTEGER NOT NULL DEFAULT 0 CHECK (pc_backups IN (0, 1));
ALTER TABLE host ADD COLUMN smb TEXT NOT NULL DEFAULT 'modern' CHECK (smb IN ('modern', 'strict', 'old'));
