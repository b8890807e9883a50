CREATE TABLE `cuts` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`master_id` text NOT NULL,
	`name` text NOT NULL,
	`kept` text NOT NULL,
	`pace` text NOT NULL,
	`join_ms` integer NOT NULL,
	`revision` integer DEFAULT 1 NOT NULL,
	`created_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`master_id`) REFERENCES `masters`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `cuts_by_production` ON `cuts` (`production_id`);--> statement-breakpoint
CREATE INDEX `cuts_by_master` ON `cuts` (`master_id`);--> statement-breakpoint
ALTER TABLE `jobs` ADD `cut` text;--> statement-breakpoint
ALTER TABLE `masters` ADD `drawn` text DEFAULT '[]' NOT NULL;--> statement-breakpoint
ALTER TABLE `versions` ADD `cut_id` text REFERENCES cuts(id);