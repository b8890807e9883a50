CREATE TABLE `typefaces` (
	`sha256` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`file_name` text NOT NULL,
	`by` text NOT NULL,
	`created_at` text NOT NULL
);
