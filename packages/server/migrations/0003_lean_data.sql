ALTER TABLE `productions` ADD `revision` integer DEFAULT 1 NOT NULL;--> statement-breakpoint
ALTER TABLE `masters` ADD `on_disk` text DEFAULT 'same' NOT NULL;--> statement-breakpoint
ALTER TABLE `masters` RENAME COLUMN `take` TO `file_generation`;--> statement-breakpoint
ALTER TABLE `arrivals` RENAME COLUMN `take` TO `file_generation`;--> statement-breakpoint
ALTER TABLE `deliverables` ADD `on_disk` text DEFAULT 'same' NOT NULL;--> statement-breakpoint
ALTER TABLE `deliverables` RENAME COLUMN `making` TO `export_number`;--> statement-breakpoint
ALTER TABLE `versions` ADD `standing` text;--> statement-breakpoint
ALTER TABLE `versions` ADD `planned_with` text;--> statement-breakpoint
CREATE INDEX `versions_unsettled` ON `versions` (`id`) WHERE "versions"."standing" is null;--> statement-breakpoint
CREATE TRIGGER `production_changed` AFTER UPDATE OF `name`, `client`, `margin` ON `productions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`id`;
END;--> statement-breakpoint
CREATE TRIGGER `master_added` AFTER INSERT ON `masters`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `master_removed` AFTER DELETE ON `masters`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = OLD.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `cut_added` AFTER INSERT ON `cuts`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `cut_removed` AFTER DELETE ON `cuts`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = OLD.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `version_added` AFTER INSERT ON `versions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `version_removed` AFTER DELETE ON `versions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = OLD.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `deliverable_added` AFTER INSERT ON `deliverables`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `deliverable_removed` AFTER DELETE ON `deliverables`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = OLD.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `master_changed` AFTER UPDATE ON `masters`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `cut_changed` AFTER UPDATE ON `cuts`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `deliverable_changed` AFTER UPDATE ON `deliverables`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `version_changed` AFTER UPDATE OF `tag`, `placement_id`, `cut_id`, `framing`, `revision`, `accepted` ON `versions`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `job_added` AFTER INSERT ON `jobs`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `job_moved_on` AFTER UPDATE OF `state` ON `jobs` WHEN OLD.`state` <> NEW.`state`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = NEW.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `job_removed` AFTER DELETE ON `jobs`
BEGIN
  UPDATE `productions` SET `revision` = `revision` + 1, `updated_at` = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE `id` = OLD.`production_id`;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_version` AFTER UPDATE OF `placement_id`, `cut_id`, `framing` ON `versions`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_cut` AFTER UPDATE OF `kept`, `pace`, `join_ms` ON `cuts`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `cut_id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_master` AFTER UPDATE OF `state`, `facts`, `sha256` ON `masters`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_new_job` AFTER INSERT ON `jobs` WHEN NEW.`kind` = 'export'
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`subject_id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_job` AFTER UPDATE OF `state` ON `jobs` WHEN NEW.`kind` = 'export' AND OLD.`state` <> NEW.`state`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`subject_id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_removed_job` AFTER DELETE ON `jobs` WHEN OLD.`kind` = 'export'
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = OLD.`subject_id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_new_file` AFTER INSERT ON `deliverables`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`version_id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_file` AFTER UPDATE OF `fingerprint`, `passed`, `on_disk` ON `deliverables`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = NEW.`version_id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `standing_by_removed_file` AFTER DELETE ON `deliverables`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `id` = OLD.`version_id` AND `standing` IS NOT NULL;
END;
