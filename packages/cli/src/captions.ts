import { readFile, rename, writeFile } from 'node:fs/promises';
import { basename, dirname, extname, join } from 'node:path';
import {
  captionsLine,
  layOutCaptions,
  readCaptions,
  retimeCues,
  wrapCues,
  writeCaptions,
  type CheckLine,
  type Cue,
  type Placement,
  type PlannedVersion,
} from '@mivvy/core';
import { captionWidth } from '@mivvy/media';

/** A planned version with captions as they play in it; drawn into its picture where the placement asks for that. */
export function captioned(
  planned: PlannedVersion,
  placement: Placement,
  cues: readonly Cue[],
): PlannedVersion {
  const { plan } = planned;
  const playing = retimeCues(cues, plan, plan.master.rate);
  if (placement.captions !== 'burned' || !playing.length) return { ...planned, captions: playing };
  const burned = layOutCaptions(
    playing,
    {
      frame: plan.frame,
      rate: plan.rate,
      frames: plan.frames,
      safeMargin: placement.safeMargin,
      blocked: placement.blocked,
    },
    captionWidth,
  );
  return { ...planned, captions: playing, plan: burned ? { ...plan, captions: burned } : plan };
}

const formatOf = (placement: Placement) => placement.captionFormat ?? 'srt';

/** The name of the caption file that lies beside a film. */
export const sidecarName = (film: string, placement: Placement): string =>
  `${basename(film, extname(film))}.${formatOf(placement)}`;

/** Writes captions beside a film, whole or not at all, and reads them back. */
export async function writeSidecar(
  cues: readonly Cue[],
  placement: Placement,
  film: string,
  work: string,
): Promise<{ path: string; line: CheckLine }> {
  const wrapped = wrapCues(cues);
  const name = sidecarName(film, placement);
  const [unfinished, path] = [join(work, name), join(dirname(film), name)];
  await writeFile(unfinished, writeCaptions(wrapped, formatOf(placement)));
  await rename(unfinished, path);
  return { path, line: await sidecarLine(cues, placement, film) };
}

/** Whether the captions that lie beside a film are those that it should have. */
export async function sidecarLine(
  cues: readonly Cue[],
  placement: Placement,
  film: string,
): Promise<CheckLine> {
  const name = sidecarName(film, placement);
  const text = await readFile(join(dirname(film), name), 'utf8').catch(() => '');
  const read = readCaptions(text, name);
  return captionsLine(wrapCues(cues), read.ok ? read.value.cues : []);
}
