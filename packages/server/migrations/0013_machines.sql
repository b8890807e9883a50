CREATE TABLE `machines` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`session` text NOT NULL,
	`ffmpeg` text NOT NULL,
	`cores` integer NOT NULL,
	`draining` integer DEFAULT false NOT NULL,
	`trouble` text,
	`at_once` integer,
	`cache_bytes` integer DEFAULT 0 NOT NULL,
	`cache_limit` integer DEFAULT 0 NOT NULL,
	`log` text DEFAULT '' NOT NULL,
	`joined_at` text NOT NULL,
	`last_seen_at` text NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_machine_a_name` ON `machines` (`name`);--> statement-breakpoint
ALTER TABLE `deliverables` ADD `made_on` text;--> statement-breakpoint
CREATE INDEX `deliverables_by_machine` ON `deliverables` (`made_on`,`made_at`);--> statement-breakpoint
ALTER TABLE `jobs` ADD `machine` text;--> statement-breakpoint
ALTER TABLE `jobs` ADD `handed` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `tokens` ADD `holder` text DEFAULT 'script' NOT NULL;