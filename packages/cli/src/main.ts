import { runCommand, type CommandName } from './commands.ts';

const controller = new AbortController();
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => controller.abort());
// Whoever reads our lines may stop reading; that is an end, not a crash.
process.stdout.on('error', () => controller.abort());

const [name, ...argv] = process.argv.slice(2);
try {
  const lines = {
    print: (line: string) => process.stdout.write(`${line}\n`),
    tell: (line: string) => process.stderr.write(`${line}\n`),
  };
  process.exitCode = await runCommand(name as CommandName, argv, lines, controller.signal);
} catch (error) {
  const code = (error as NodeJS.ErrnoException).code;
  const sentence =
    code === 'ENOSPC'
      ? 'The disk is full. Free some space and run it again.'
      : code === 'EACCES' || code === 'EPERM' || code === 'EROFS'
        ? 'The folder for the files cannot be written to. Choose another with --out.'
        : `Mivvy failed; this is a fault in Mivvy: ${(error as Error).message}`;
  process.stderr.write(`${sentence}\n`);
  process.exitCode = 2;
}
