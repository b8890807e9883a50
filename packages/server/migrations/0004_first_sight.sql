CREATE TABLE `place_sets` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`placement_ids` text NOT NULL,
	`used_at` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `preferences` (
	`id` integer PRIMARY KEY NOT NULL,
	`frame_on_arrival` integer NOT NULL
);
--> statement-breakpoint
ALTER TABLE `masters` ADD `unimportant` text DEFAULT '[]' NOT NULL;--> statement-breakpoint
CREATE TRIGGER `standing_by_keeps` AFTER UPDATE OF `keeps` ON `masters` WHEN OLD.`keeps` <> NEW.`keeps`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_margin` AFTER UPDATE OF `margin` ON `productions` WHEN OLD.`margin` <> NEW.`margin`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `production_id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_acceptance` AFTER UPDATE OF `accepted` ON `versions`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
UPDATE `versions` SET `standing` = NULL;
