-- Tests that a disk ran on itself and that failed, since the last one over all of it that went well.
ALTER TABLE disk_reading ADD COLUMN failed_tests INTEGER CHECK (failed_tests >= 0);
