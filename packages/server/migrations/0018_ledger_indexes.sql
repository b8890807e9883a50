DROP INDEX `deliverables_by_version`;--> statement-breakpoint
CREATE INDEX `deliverables_of_version` ON `deliverables` (`version_id`,`export_number`,`handover`,`file_name`);--> statement-breakpoint
DROP INDEX `versions_by_production`;--> statement-breakpoint
CREATE INDEX `versions_in_ledger` ON `versions` (`production_id`,`standing`,`touched`,`due_on`,`holder`,`created_at`,`id`);--> statement-breakpoint
CREATE INDEX `versions_by_holder` ON `versions` (`holder`);