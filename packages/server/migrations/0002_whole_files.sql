CREATE TABLE `arrivals` (
	`upload_id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`master_id` text NOT NULL,
	`take` integer,
	`file_name` text NOT NULL,
	`bytes` integer NOT NULL,
	`path` text NOT NULL,
	`settled` integer DEFAULT false NOT NULL,
	`created_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `arrivals_by_production` ON `arrivals` (`production_id`);--> statement-breakpoint
CREATE TABLE `doomed` (
	`path` text PRIMARY KEY NOT NULL
);
--> statement-breakpoint
ALTER TABLE `deliverables` ADD `name_key` text;--> statement-breakpoint
ALTER TABLE `deliverables` ADD `mark` text;--> statement-breakpoint
CREATE UNIQUE INDEX `one_file_a_name` ON `deliverables` (`production_id`,`name_key`);--> statement-breakpoint
ALTER TABLE `masters` ADD `mark` text;