CREATE TABLE `spare_codes` (
	`code_hash` text NOT NULL,
	`person_id` text NOT NULL,
	PRIMARY KEY(`person_id`, `code_hash`),
	FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
ALTER TABLE `people` ADD `code_secret` text;--> statement-breakpoint
ALTER TABLE `people` ADD `codes_since` text;--> statement-breakpoint
ALTER TABLE `people` ADD `code_step` integer;