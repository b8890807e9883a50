ALTER TABLE `masters` ADD `faces` text DEFAULT '[]' NOT NULL;--> statement-breakpoint
CREATE TRIGGER `standing_by_faces` AFTER UPDATE OF `faces` ON `masters` WHEN OLD.`faces` <> NEW.`faces`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `standing` IS NOT NULL;
END;
--> statement-breakpoint
CREATE TRIGGER `standing_by_unimportant` AFTER UPDATE OF `unimportant` ON `masters` WHEN OLD.`unimportant` <> NEW.`unimportant`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `standing` IS NOT NULL;
END;
--> statement-breakpoint
CREATE TRIGGER `faces_of_other_bytes` AFTER UPDATE OF `sha256` ON `masters` WHEN OLD.`sha256` IS NOT NEW.`sha256` AND OLD.`sha256` IS NOT NULL AND NEW.`faces` <> '[]'
BEGIN
  UPDATE `masters` SET `faces` = '[]' WHERE `id` = NEW.`id`;
END;
