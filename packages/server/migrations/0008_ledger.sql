CREATE TABLE `dispatches` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`version_id` text NOT NULL,
	`deliverable_id` text NOT NULL,
	`sha256` text NOT NULL,
	`connector` text NOT NULL,
	`destination` text NOT NULL,
	`to` text NOT NULL,
	`state` text NOT NULL,
	`key` text NOT NULL,
	`publish_at` text,
	`zone` text,
	`attempts` integer DEFAULT 0 NOT NULL,
	`receipt` text,
	`problem` text,
	`by` text NOT NULL,
	`created_at` text NOT NULL,
	`updated_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`version_id`) REFERENCES `versions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`deliverable_id`) REFERENCES `deliverables`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_dispatch_a_key` ON `dispatches` (`key`);--> statement-breakpoint
CREATE INDEX `dispatches_by_production` ON `dispatches` (`production_id`,`created_at`);--> statement-breakpoint
CREATE INDEX `dispatches_by_state` ON `dispatches` (`state`);--> statement-breakpoint
CREATE TABLE `happenings` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	`production_id` text NOT NULL,
	`version_id` text,
	`deliverable_id` text,
	`sha256` text,
	`link_id` text,
	`what` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `happenings_by_production` ON `happenings` (`production_id`,`id`);--> statement-breakpoint
CREATE INDEX `happenings_by_version` ON `happenings` (`version_id`,`id`);--> statement-breakpoint
CREATE INDEX `happenings_by_deliverable` ON `happenings` (`deliverable_id`,`id`);--> statement-breakpoint
CREATE TABLE `ledger_views` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`query` text NOT NULL,
	`created_at` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `notes` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`version_id` text NOT NULL,
	`deliverable_id` text NOT NULL,
	`sha256` text NOT NULL,
	`answers` text,
	`frame` integer NOT NULL,
	`master_frame` integer,
	`x` real,
	`y` real,
	`words` text NOT NULL,
	`by` text NOT NULL,
	`link_id` text,
	`done_at` text,
	`done_by` text,
	`created_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`version_id`) REFERENCES `versions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `notes_by_production` ON `notes` (`production_id`,`created_at`);--> statement-breakpoint
CREATE INDEX `notes_by_version` ON `notes` (`version_id`);--> statement-breakpoint
CREATE TABLE `review_links` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`name` text NOT NULL,
	`token_hash` text NOT NULL,
	`version_ids` text NOT NULL,
	`password` text,
	`wrong_passwords` integer DEFAULT 0 NOT NULL,
	`locked_until` text,
	`ends_at` text NOT NULL,
	`may_fetch` integer DEFAULT false NOT NULL,
	`revoked_at` text,
	`by` text NOT NULL,
	`created_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_link_a_secret` ON `review_links` (`token_hash`);--> statement-breakpoint
CREATE INDEX `review_links_by_production` ON `review_links` (`production_id`);--> statement-breakpoint
CREATE TABLE `review_visits` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`link_id` text NOT NULL,
	`at` text NOT NULL,
	`browser` text NOT NULL,
	`outcome` text NOT NULL,
	FOREIGN KEY (`link_id`) REFERENCES `review_links`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `review_visits_by_link` ON `review_visits` (`link_id`,`id`);--> statement-breakpoint
ALTER TABLE `deliverables` ADD `handover` text DEFAULT 'none' NOT NULL;--> statement-breakpoint
ALTER TABLE `productions` ADD `naming` text;--> statement-breakpoint
ALTER TABLE `productions` ADD `due_on` text;--> statement-breakpoint
ALTER TABLE `productions` ADD `expects` text DEFAULT '[]' NOT NULL;--> statement-breakpoint
ALTER TABLE `versions` ADD `touched` integer DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `versions` ADD `due_on` text;--> statement-breakpoint
ALTER TABLE `versions` ADD `holder` text DEFAULT '' NOT NULL;--> statement-breakpoint
CREATE TRIGGER `production_tracked` AFTER UPDATE OF `naming`, `due_on` ON `productions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`id`;
END;--> statement-breakpoint
CREATE TRIGGER `version_tracked` AFTER UPDATE OF `due_on`, `holder` ON `versions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `note_added` AFTER INSERT ON `notes`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `note_changed` AFTER UPDATE ON `notes`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
UPDATE `versions` SET `standing` = NULL;
