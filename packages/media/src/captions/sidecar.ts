import { readFile, rename, writeFile } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import { captionsLine, readCaptions, sidecarText, type CheckLine, type RenderPlan } from '@mivvy/core';

type Sidecar = NonNullable<RenderPlan['sidecar']>;

/** The name of the caption file that lies beside a film. */
export const sidecarName = (film: string, { format }: Pick<Sidecar, 'format'>): string =>
  `${basename(film, extname(film))}.${format}`;

/** Whether a caption file's text holds the captions that it should. */
export function readBack(sidecar: Sidecar, text: string): CheckLine {
  const read = readCaptions(text);
  return captionsLine(sidecar.cues, read.ok ? read.value.cues : []);
}

/** Writes captions beside a film, whole or not at all, and reads them back. */
export async function writeSidecar(
  sidecar: Sidecar,
  film: string,
  work: string,
): Promise<{ path: string; line: CheckLine }> {
  const name = sidecarName(film, sidecar);
  const [unfinished, path] = [join(work, name), join(dirname(film), name)];
  await writeFile(unfinished, sidecarText(sidecar));
  await rename(unfinished, path);
  return { path, line: await sidecarLine(sidecar, film) };
}

/** Whether the captions that lie beside a film are those that it should have. */
export async function sidecarLine(sidecar: Sidecar, film: string): Promise<CheckLine> {
  const path = join(dirname(film), sidecarName(film, sidecar));
  return readBack(sidecar, await readFile(path, 'utf8').catch(() => ''));
}
