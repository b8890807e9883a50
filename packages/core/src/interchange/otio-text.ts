import type * as z from 'zod';
import { fail, ok, type Result } from '../problem.ts';

const mend = 'Export it again from the editor.';

/** Parses an OpenTimelineIO file as far as a schema knows it. `wanted` is what it has to be, such as “timeline”. */
export function parseOtio<T>(text: string, schema: z.ZodType<T>, wanted: string): Result<T> {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch (error) {
    return fail('otio-not-json', `This is not an OpenTimelineIO file: ${(error as Error).message}.`, mend);
  }
  const parsed = schema.safeParse(data);
  return parsed.success
    ? ok(parsed.data)
    : fail('otio-refused', `This is JSON, but not an OpenTimelineIO ${wanted}.`, mend);
}
