ALTER TABLE `jobs` ADD `dressing` text;--> statement-breakpoint
ALTER TABLE `masters` ADD `dressing` text DEFAULT '{"layers":[],"captions":[],"draftMark":false}' NOT NULL;--> statement-breakpoint
ALTER TABLE `masters` ADD `dressing_revision` integer DEFAULT 1 NOT NULL;--> statement-breakpoint
ALTER TABLE `versions` ADD `approved` integer DEFAULT false NOT NULL;--> statement-breakpoint
CREATE TRIGGER `dressing_changed` AFTER UPDATE OF `dressing` ON `masters` WHEN OLD.`dressing` <> NEW.`dressing`
BEGIN
  UPDATE `versions` SET `standing` = NULL WHERE `master_id` = NEW.`id` AND `standing` IS NOT NULL;
END;--> statement-breakpoint
CREATE TRIGGER `approved_by_file` AFTER UPDATE OF `handover` ON `deliverables` WHEN OLD.`handover` <> NEW.`handover`
BEGIN
  UPDATE `versions` SET `standing` = NULL, `approved` = EXISTS (
    SELECT 1 FROM `deliverables` AS d WHERE d.`version_id` = NEW.`version_id` AND d.`handover` IN ('approved', 'dispatched', 'live')
  ) WHERE `id` = NEW.`version_id`;
END;--> statement-breakpoint
UPDATE `versions` SET `approved` = EXISTS (
  SELECT 1 FROM `deliverables` AS d WHERE d.`version_id` = `versions`.`id` AND d.`handover` IN ('approved', 'dispatched', 'live')
);
