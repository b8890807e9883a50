import { bytesLabel } from '@mivvy/core';
import { useDisk } from '../api/queries.ts';

/** What stands over every screen while the data disk is full. */
export function DiskNote() {
  const { data: disk } = useDisk();
  if (!disk?.full) return null;
  return (
    <p className="disknote" role="alert">
      <b>The disk is full.</b> {bytesLabel(disk.freeBytes)} are free: nothing new is written until there is
      room, and nothing that is there is lost. Work goes on by itself then.
    </p>
  );
}
