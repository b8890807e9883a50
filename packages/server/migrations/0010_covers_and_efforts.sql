ALTER TABLE `deliverables` ADD `cover_sha256` text;--> statement-breakpoint
ALTER TABLE `deliverables` ADD `effort` text DEFAULT 'usual' NOT NULL;--> statement-breakpoint
ALTER TABLE `jobs` ADD `cover_frame` integer;--> statement-breakpoint
ALTER TABLE `jobs` ADD `sharpen` real;--> statement-breakpoint
ALTER TABLE `jobs` ADD `effort` text DEFAULT 'usual' NOT NULL;--> statement-breakpoint
ALTER TABLE `preferences` ADD `effort` text DEFAULT 'usual' NOT NULL;--> statement-breakpoint
ALTER TABLE `preferences` ADD `effort_measured` text;--> statement-breakpoint
ALTER TABLE `versions` ADD `cover_frame` integer;--> statement-breakpoint
ALTER TABLE `versions` ADD `sharpen` real;--> statement-breakpoint
CREATE TRIGGER `finish_chosen` AFTER UPDATE OF `cover_frame`, `sharpen` ON `versions` WHEN OLD.`cover_frame` IS NOT NEW.`cover_frame` OR OLD.`sharpen` IS NOT NEW.`sharpen`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id`;
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;
