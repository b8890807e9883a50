ALTER TABLE `deliverables` ADD `cover_sha256` text;--> statement-breakpoint
ALTER TABLE `jobs` ADD `cover_frame` integer;--> statement-breakpoint
ALTER TABLE `versions` ADD `cover_frame` integer;--> statement-breakpoint
CREATE TRIGGER `cover_picked` AFTER UPDATE OF `cover_frame` ON `versions` WHEN OLD.`cover_frame` IS NOT NEW.`cover_frame`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id`;
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;
