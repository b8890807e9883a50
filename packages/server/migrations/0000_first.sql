CREATE TABLE `changes` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`subject_id` text NOT NULL,
	`before` text NOT NULL,
	`after` text NOT NULL,
	`undone` integer DEFAULT false NOT NULL,
	`made_at` text NOT NULL
);
--> statement-breakpoint
CREATE INDEX `changes_by_subject` ON `changes` (`subject_id`,`id`);--> statement-breakpoint
CREATE TABLE `deliverables` (
	`id` text PRIMARY KEY NOT NULL,
	`version_id` text NOT NULL,
	`production_id` text NOT NULL,
	`file_name` text NOT NULL,
	`path` text NOT NULL,
	`bytes` integer NOT NULL,
	`sha256` text NOT NULL,
	`fingerprint` text NOT NULL,
	`plan` text NOT NULL,
	`report` text NOT NULL,
	`passed` integer NOT NULL,
	`making` integer NOT NULL,
	`took_seconds` real NOT NULL,
	`made_at` text NOT NULL,
	FOREIGN KEY (`version_id`) REFERENCES `versions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `deliverables_by_version` ON `deliverables` (`version_id`,`making`);--> statement-breakpoint
CREATE INDEX `deliverables_by_production` ON `deliverables` (`production_id`,`made_at`);--> statement-breakpoint
CREATE TABLE `jobs` (
	`id` text PRIMARY KEY NOT NULL,
	`kind` text NOT NULL,
	`production_id` text NOT NULL,
	`subject_id` text NOT NULL,
	`label` text NOT NULL,
	`state` text NOT NULL,
	`framing` text,
	`attempts` integer DEFAULT 0 NOT NULL,
	`stage` text DEFAULT '' NOT NULL,
	`fraction` real DEFAULT 0 NOT NULL,
	`eta_seconds` real,
	`speed` real DEFAULT 0 NOT NULL,
	`problem` text,
	`owner` text,
	`lease_until` integer,
	`created_at` text NOT NULL,
	`started_at` text,
	`finished_at` text,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `jobs_by_state` ON `jobs` (`kind`,`state`);--> statement-breakpoint
CREATE INDEX `jobs_by_production` ON `jobs` (`production_id`,`created_at`);--> statement-breakpoint
CREATE INDEX `jobs_by_subject` ON `jobs` (`subject_id`);--> statement-breakpoint
CREATE TABLE `masters` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`name` text NOT NULL,
	`file_name` text NOT NULL,
	`origin` text NOT NULL,
	`path` text NOT NULL,
	`bytes` integer NOT NULL,
	`state` text NOT NULL,
	`facts` text,
	`sha256` text,
	`problem` text,
	`proxy` text NOT NULL,
	`has_poster` integer DEFAULT false NOT NULL,
	`take` integer DEFAULT 1 NOT NULL,
	`shots` text,
	`keeps` text DEFAULT '[]' NOT NULL,
	`revision` integer DEFAULT 1 NOT NULL,
	`before` text,
	`carried` text,
	`created_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE INDEX `masters_by_production` ON `masters` (`production_id`);--> statement-breakpoint
CREATE TABLE `productions` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`client` text NOT NULL,
	`margin` text DEFAULT '{"kind":"place"}' NOT NULL,
	`created_at` text NOT NULL,
	`updated_at` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `versions` (
	`id` text PRIMARY KEY NOT NULL,
	`production_id` text NOT NULL,
	`master_id` text NOT NULL,
	`placement_id` text NOT NULL,
	`tag` text NOT NULL,
	`framing` text NOT NULL,
	`revision` integer NOT NULL,
	`accepted` text DEFAULT '[]' NOT NULL,
	`created_at` text NOT NULL,
	`updated_at` text NOT NULL,
	FOREIGN KEY (`production_id`) REFERENCES `productions`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`master_id`) REFERENCES `masters`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE UNIQUE INDEX `one_version_a_placement` ON `versions` (`master_id`,`placement_id`);--> statement-breakpoint
CREATE INDEX `versions_by_production` ON `versions` (`production_id`);