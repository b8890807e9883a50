CREATE TABLE `outlets` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`position` integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE `placement_revisions` (
	`placement_id` text NOT NULL,
	`number` integer NOT NULL,
	`placement` text NOT NULL,
	`effective_on` text NOT NULL,
	`made_at` text NOT NULL,
	`by` text NOT NULL,
	`reason` text NOT NULL,
	PRIMARY KEY(`placement_id`, `number`),
	FOREIGN KEY (`placement_id`) REFERENCES `placements`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE TABLE `placements` (
	`id` text PRIMARY KEY NOT NULL,
	`outlet_id` text NOT NULL,
	`position` integer NOT NULL,
	`retired_on` text,
	`checked_on` text,
	`checked_by` text,
	`evidence` text,
	FOREIGN KEY (`outlet_id`) REFERENCES `outlets`(`id`) ON UPDATE no action ON DELETE no action
);
--> statement-breakpoint
CREATE INDEX `placements_by_outlet` ON `placements` (`outlet_id`,`position`);--> statement-breakpoint
ALTER TABLE `versions` ADD `placement_revision` integer DEFAULT 1 NOT NULL;--> statement-breakpoint
CREATE TRIGGER `standing_by_place` AFTER UPDATE OF `placement_revision` ON `versions` WHEN OLD.`placement_revision` <> NEW.`placement_revision`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id` AND `standing` IS NOT NULL;
END;
