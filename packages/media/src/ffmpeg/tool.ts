import { spawnSync } from 'node:child_process';

/** Whether this system has the program that ties a tool's life to ours; looked for once. */
let tied: boolean | undefined;
const canTie = (): boolean =>
  (tied ??=
    process.platform === 'linux' &&
    spawnSync('setpriv', ['--pdeathsig', 'KILL', 'true'], { stdio: 'ignore' }).status === 0);

/**
 * How a tool is called. The system kills it when the process that started it dies, however that dies, so that no
 * encoder of a dead server runs beside the restarted job. `nice` lowers its priority.
 */
export function toolCall(
  tool: string,
  args: readonly string[],
  nice = false,
): [file: string, args: string[]] {
  const words = [
    ...(canTie() ? ['setpriv', '--pdeathsig', 'KILL'] : []),
    ...(nice ? ['nice', '-n', '10'] : []),
    tool,
    ...args,
  ];
  return [words[0]!, words.slice(1)];
}
