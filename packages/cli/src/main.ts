import { deliverCommand } from './deliver.ts';

const controller = new AbortController();
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => controller.abort());
// Whoever reads our lines may stop reading; that is an end, not a crash.
process.stdout.on('error', () => controller.abort());

try {
  process.exitCode = await deliverCommand(
    process.argv.slice(2),
    (line) => process.stdout.write(`${line}\n`),
    (line) => process.stderr.write(`${line}\n`),
    controller.signal,
  );
} catch (error) {
  const code = (error as NodeJS.ErrnoException).code;
  const sentence =
    code === 'ENOSPC'
      ? 'The disk is full. Free some space and run it again.'
      : code === 'EACCES' || code === 'EPERM' || code === 'EROFS'
        ? 'The folder for the files cannot be written to. Choose another with --out.'
        : `Something unexpected happened: ${(error as Error).message}`;
  process.stderr.write(`${sentence}\n`);
  process.exitCode = 2;
}
