import type { Result } from '@mivvy/core';
import { eachProbeLine, inputArgs } from './run.ts';

/** What is told of a packet, in the order in which ffprobe tells it whatever is asked for first. */
const inOrder = ['pts_time', 'dts_time', 'duration_time', 'size', 'flags'] as const;
export type PacketField = (typeof inOrder)[number];

/**
 * Lists the packets of a film's stream as they are stored, without decoding any. `take` gets what was asked for as
 * ffprobe writes it: “N/A” where a packet does not say it, and nothing of a line that some containers leave empty.
 *
 * @param stream its index, or a specifier such as `v:0`
 */
export function eachPacket<Field extends PacketField>(
  path: string,
  stream: number | 'v:0',
  fields: readonly Field[],
  take: (packet: Partial<Record<Field, string>>) => void,
  signal?: AbortSignal,
): Promise<Result<void>> {
  const asked = inOrder.filter((field): field is Field & PacketField =>
    (fields as readonly string[]).includes(field),
  );
  const args = [
    ...['-v', 'error', '-select_streams', String(stream)],
    ...['-show_entries', `packet=${asked.join(',')}`, '-of', 'csv=p=0'],
    ...inputArgs(path),
  ];
  return eachProbeLine(
    args,
    (line) => {
      const values = line.split(',');
      const packet: Partial<Record<Field, string>> = {};
      asked.forEach((field, i) => {
        if (values[i]) packet[field] = values[i];
      });
      take(packet);
    },
    signal,
  );
}
