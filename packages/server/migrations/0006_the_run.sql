ALTER TABLE `jobs` ADD `rank` integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `preferences` ADD `exports_paused` integer DEFAULT false NOT NULL;