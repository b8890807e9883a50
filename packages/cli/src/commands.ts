import { Cancelled } from '@mivvy/media';
import { checkCommand } from './check.ts';
import { deliverCommand } from './deliver.ts';
import type { Lines } from './lines.ts';

/** The engine's commands, by their names. */
const commands = { deliver: deliverCommand, check: checkCommand };
export type CommandName = keyof typeof commands;

/** Runs a command and returns its exit status; 130 where it was interrupted. */
export async function runCommand(
  name: CommandName,
  argv: string[],
  lines: Lines,
  signal: AbortSignal,
): Promise<number> {
  try {
    return await commands[name](argv, lines, signal);
  } catch (error) {
    if (error instanceof Cancelled || signal.aborted) return 130;
    throw error;
  }
}
