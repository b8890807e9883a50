import { readFile } from 'node:fs/promises';
import { arch, cpus, release, totalmem, type } from 'node:os';
import { rendererRevision, type Placement, type Problem, type RenderPlan } from '@mivvy/core';
import { locateTools } from '../ffmpeg/locate.ts';

/** The end of a log is what tells why; characters. */
const mostLog = 200_000;

/**
 * What can be sent to us of an export that stopped by a fault of ours: the plan, the log and the machine. Neither film nor
 * pictures are in it, and no path of the machine.
 */
export async function faultReport(of: {
  problem: Problem;
  plan: RenderPlan | null;
  placement: Placement | null;
  logFile: string;
  /** Folders whose names are nobody's business. */
  folders: readonly string[];
}): Promise<string> {
  const tools = await locateTools();
  const log = (await readFile(of.logFile, 'utf8').catch(() => '')).slice(-mostLog);
  return `${JSON.stringify(
    {
      format: 'mivvy-fault-report',
      version: 1,
      madeAt: new Date().toISOString(),
      problem: of.problem,
      rendererRevision,
      machine: {
        system: `${type()} ${release()} ${arch()}`,
        cores: cpus().length,
        memoryBytes: totalmem(),
        node: process.version,
        ffmpeg: tools.ok ? tools.value.version : null,
      },
      placement: of.placement,
      plan: of.plan,
      log: of.folders.reduce((text, folder) => text.replaceAll(folder, '…'), log),
    },
    null,
    2,
  )}\n`;
}
