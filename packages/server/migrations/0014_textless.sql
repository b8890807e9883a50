ALTER TABLE `jobs` ADD `textless` integer DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `masters` ADD `textless_of` text;--> statement-breakpoint
ALTER TABLE `masters` ADD `textless_problem` text;--> statement-breakpoint
ALTER TABLE `masters` ADD `textless` text;--> statement-breakpoint
ALTER TABLE `versions` ADD `textless` integer DEFAULT false NOT NULL;--> statement-breakpoint
CREATE TRIGGER `textless_chosen` AFTER UPDATE OF `textless` ON `versions` WHEN OLD.`textless` <> NEW.`textless`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id`;
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;
--> statement-breakpoint
CREATE TRIGGER `textless_matched` AFTER UPDATE OF `textless` ON `masters` WHEN OLD.`textless` IS NOT NEW.`textless`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `textless` = 1;
END;
--> statement-breakpoint
CREATE TRIGGER `textless_is_another` AFTER UPDATE OF `sha256`, `textless_of` ON `masters` WHEN OLD.`textless_of` IS NOT NULL AND (OLD.`sha256` IS NOT NEW.`sha256` OR OLD.`textless_of` IS NOT NEW.`textless_of`)
BEGIN
  UPDATE `masters` SET `textless` = NULL WHERE `id` = OLD.`textless_of`;
END;
--> statement-breakpoint
CREATE TRIGGER `textless_removed` AFTER DELETE ON `masters`
BEGIN
  UPDATE `masters` SET `textless` = NULL WHERE `id` = OLD.`textless_of`;
  UPDATE `masters` SET `textless_of` = NULL, `textless_problem` = NULL WHERE `textless_of` = OLD.`id`;
END;
