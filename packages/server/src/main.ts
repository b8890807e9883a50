import { access, constants, readFile, rm, writeFile } from 'node:fs/promises';
import { networkInterfaces } from 'node:os';
import { delimiter, join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import getPort from 'get-port';
import { pino } from 'pino';
import * as z from 'zod';
import { locateTools } from '@mivvy/media';
import { createApp } from './app.ts';
import { openWorkspace } from './open.ts';
import { isDiskFull } from './disk/full.ts';
import { PatientLog } from './disk/patient-log.ts';
import { FolderInUse } from './files/lock.ts';
import { createReviewApp } from './review/app.ts';
import { makeFolder } from './storage.ts';

const environment = z.object({
  MIVVY_PORT: z.coerce.number().int().min(0).max(65535).default(4600),
  MIVVY_DATA: z
    .string()
    .min(1)
    .default(fileURLToPath(new URL('../../../data', import.meta.url))),
  /**
   * Where review links open: this machine alone, unless another address is named, such as 0.0.0.0 for all of its
   * networks. The workspace itself stays on this machine.
   */
  MIVVY_REVIEW_HOST: z.string().min(1).default('127.0.0.1'),
  MIVVY_REVIEW_PORT: z.coerce.number().int().min(0).max(65535).default(4650),
  /** How review links begin, where that is not the host and port, such as behind a name of its own. */
  MIVVY_REVIEW_ADDRESS: z.url({ protocol: /^https?$/ }).optional(),
  MIVVY_INBOX: z.string().default(''),
  /** Looking for subjects takes a core for about as long as the film runs. */
  MIVVY_LOOKING: z.enum(['at-once', 'when-asked']).default('at-once'),
  MIVVY_LOG_LEVEL: z.enum(['trace', 'debug', 'info', 'warn', 'error']).default('info'),
});

const say = (line: string) => process.stdout.write(`${line}\n`);

const env = environment.safeParse(process.env);
if (!env.success) {
  const issue = env.error.issues[0]!;
  process.stderr.write(`${issue.path.join('.')} is not usable: ${issue.message}\n`);
  process.exit(2);
}
const dataDir = resolve(env.data.MIVVY_DATA);
const inboxes = env.data.MIVVY_INBOX.split(delimiter)
  .filter(Boolean)
  .map((p) => resolve(p));

/** Ends with one sentence when the data folder is of no use. */
function unusable(error: unknown): never {
  if (error instanceof FolderInUse) {
    process.stderr.write(
      `${error.message}\nOpen that one, stop it first, or set MIVVY_DATA to another folder.\n`,
    );
    process.exit(2);
  }
  if (isDiskFull(error)) {
    process.stderr.write(
      `The disk of the data folder ${dataDir} is full, so Mivvy cannot start.\nFree some space and start it again; nothing that was there is lost.\n`,
    );
    process.exit(2);
  }
  process.stderr.write(
    `The data folder ${dataDir} cannot be used: ${(error as Error).message}\nCheck that it can be written to, or set MIVVY_DATA to another.\n`,
  );
  process.exit(2);
}
const logDir = join(dataDir, 'logs');
await makeFolder(logDir)
  .then(() => access(logDir, constants.W_OK))
  .catch(unusable);

const wanted = env.data.MIVVY_PORT;
const port = await getPort({ port: wanted === 0 ? undefined : wanted, host: '127.0.0.1' });
const logFile = new PatientLog(join(logDir, 'server.log'));
const log = pino({ level: env.data.MIVVY_LOG_LEVEL }, logFile);
const ws = await openWorkspace({ dataDir, inboxes, log, looking: env.data.MIVVY_LOOKING }).catch(unusable);
const addressFile = join(dataDir, 'server.json');
const server = createApp(ws).listen(port, '127.0.0.1', () => {
  if (wanted !== 0 && port !== wanted) say(`Port ${wanted} is taken, so another was chosen.`);
  say(`Mivvy is at http://127.0.0.1:${port}  (data in ${dataDir}; stop with Ctrl+C)`);
  log.info({ port, dataDir }, 'listening');
  writeFile(addressFile, JSON.stringify({ port, pid: process.pid })).catch((error: unknown) =>
    log.warn({ err: error }, 'the address could not be written down'),
  );
});
const reviewWanted = env.data.MIVVY_REVIEW_PORT;
const reviewHost = env.data.MIVVY_REVIEW_HOST;
const reviewServer = createReviewApp(ws);
const reviewPort = await getPort({
  port: reviewWanted === 0 ? undefined : reviewWanted,
  host: reviewHost,
}).catch(() => null);
const reviewing =
  reviewPort === null
    ? null
    : reviewServer.listen(reviewPort, reviewHost, () => {
        ws.reviewAddress =
          env.data.MIVVY_REVIEW_ADDRESS?.replace(/\/$/, '') ??
          `http://${addressFor(reviewHost)}:${reviewPort}`;
        if (reviewHost !== '127.0.0.1')
          say(
            `Review links open at ${ws.reviewAddress}: whoever reaches that address and has a link sees its films.`,
          );
      });
if (!reviewing) say(`Review links cannot open at ${reviewHost}: that is no address of this machine.`);

// Films take as long as they take; a slow upload is not a broken one.
server.requestTimeout = 0;
// Longer than any client keeps a connection that it does not use: one that is closed as it is used again fails a request.
server.keepAliveTimeout = 90_000;

/** The address is ours to remove only while it names this process. */
async function forgetAddress(): Promise<void> {
  const text = await readFile(addressFile, 'utf8').catch(() => '');
  if (text.includes(`"pid":${process.pid}`)) await rm(addressFile, { force: true });
}

/** The address by which others reach this machine, where it listens to all. */
function addressFor(host: string): string {
  if (host !== '0.0.0.0' && host !== '::') return host;
  const outside = Object.values(networkInterfaces())
    .flat()
    .find((each) => each && !each.internal && each.family === 'IPv4');
  return outside?.address ?? '127.0.0.1';
}

let closing = false;
async function stop(): Promise<void> {
  server.close();
  server.closeAllConnections();
  reviewing?.close();
  reviewing?.closeAllConnections();
  await ws.close().catch((error: unknown) => log.error({ err: error }, 'closing failed'));
  await forgetAddress().catch(() => undefined);
  await logFile.flush();
}
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => {
    if (closing) process.exit(130);
    closing = true;
    void stop().finally(() => process.exit(0));
  });
}

// Last, because it takes a moment: from when the address is written down, the server can be stopped in order.
const tools = await locateTools();
if (!tools.ok) say(`${tools.problem.sentence} ${tools.problem.mend}`);
