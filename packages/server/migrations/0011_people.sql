CREATE TABLE `people` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`name_key` text NOT NULL,
	`role` text NOT NULL,
	`password` text,
	`wrong_passwords` integer DEFAULT 0 NOT NULL,
	`locked_until` text,
	`link_hash` text,
	`link_ends_at` text,
	`last_seen_at` text,
	`created_at` text NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_person_a_name` ON `people` (`name_key`);--> statement-breakpoint
CREATE UNIQUE INDEX `one_person_a_link` ON `people` (`link_hash`);--> statement-breakpoint
CREATE TABLE `sessions` (
	`id` text PRIMARY KEY NOT NULL,
	`secret_hash` text NOT NULL,
	`person_id` text NOT NULL,
	`browser` text NOT NULL,
	`address` text NOT NULL,
	`created_at` text NOT NULL,
	`last_seen_at` text NOT NULL,
	`ends_at` text NOT NULL,
	FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_session_a_secret` ON `sessions` (`secret_hash`);--> statement-breakpoint
CREATE INDEX `sessions_by_person` ON `sessions` (`person_id`);--> statement-breakpoint
CREATE TABLE `tokens` (
	`id` text PRIMARY KEY NOT NULL,
	`secret_hash` text NOT NULL,
	`person_id` text NOT NULL,
	`name` text NOT NULL,
	`role` text NOT NULL,
	`created_at` text NOT NULL,
	`last_used_at` text,
	`ends_at` text NOT NULL,
	FOREIGN KEY (`person_id`) REFERENCES `people`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_token_a_secret` ON `tokens` (`secret_hash`);--> statement-breakpoint
CREATE INDEX `tokens_by_person` ON `tokens` (`person_id`);