ALTER TABLE `versions` ADD `framed_by` text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `versions` ADD `framed_at` text;