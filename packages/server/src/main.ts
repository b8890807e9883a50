import { access, constants, readFile, rm, writeFile } from 'node:fs/promises';
import { createServer, type RequestListener } from 'node:http';
import { createServer as createSecureServer } from 'node:https';
import { createSecureContext } from 'node:tls';
import { delimiter, join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import * as z from 'zod';
import { locateTools } from '@mivvy/media';
import { createApp } from './app.ts';
import { openWorkspace } from './open.ts';
import { secondFactorRules } from './people/access.ts';
import { accessOf, addressFor, isLoopback } from './people/reached.ts';
import { anybody } from './people/people.ts';
import { isDiskFull } from './disk/full.ts';
import { NotLaidOut } from './disk/own-disks.ts';
import { PatientLog } from './disk/patient-log.ts';
import { FolderInUse } from './files/lock.ts';
import { listenAt } from './http/listen.ts';
import { createReviewApp } from './review/app.ts';
import { makeFolder } from './storage.ts';

const environment = z.object({
  MIVVY_PORT: z.coerce.number().int().min(0).max(65535).default(4600),
  /** Where the workspace listens: this machine alone, unless another address is named. Then people sign in. */
  MIVVY_HOST: z.string().min(1).default('127.0.0.1'),
  /** People sign in on this machine too, as behind a proxy that runs on it. */
  MIVVY_SIGN_IN: z.enum(['when-open', 'always']).default('when-open'),
  /** Who must have a second factor: who chooses to, people who run everything, or everybody. */
  MIVVY_SECOND_FACTOR: z.enum(secondFactorRules).default('own-choice'),
  /** Minutes without use after which a browser is signed out; only when its time is over where missing. */
  MIVVY_IDLE_MINUTES: z.coerce.number().int().min(5).max(720).optional(),
  /** How the workspace's address begins, where that is not its host and port, such as behind a name of its own. */
  MIVVY_ADDRESS: z.url({ protocol: /^https?$/ }).optional(),
  /** A certificate and its key, as PEM files: the workspace is reached by TLS. */
  MIVVY_TLS_CERT: z.string().min(1).optional(),
  MIVVY_TLS_KEY: z.string().min(1).optional(),
  /** Addresses of proxies that are believed who asks through them, with commas between. */
  MIVVY_TRUST_PROXY: z.string().default(''),
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
  /** Folders on other disks for what the data folder would hold itself. */
  MIVVY_ORIGINALS_DIR: z.string().min(1).optional(),
  MIVVY_EXPORTS_DIR: z.string().min(1).optional(),
  MIVVY_CACHE_DIR: z.string().min(1).optional(),
  MIVVY_INBOX: z.string().default(''),
  /** Looking for subjects takes a core for about as long as the film runs. */
  MIVVY_LOOKING: z.enum(['at-once', 'when-asked']).default('at-once'),
  /** So many exports at once at most, 0 for none; without it as many as the machine bears. */
  MIVVY_EXPORTS: z.coerce.number().int().min(0).max(64).optional(),
  /** Where render machines draw jobs from. */
  MIVVY_QUEUE: z.url({ protocol: /^rediss?$/ }).optional(),
  MIVVY_LOG_LEVEL: z.enum(['trace', 'debug', 'info', 'warn', 'error']).default('info'),
});

const say = (line: string) => process.stdout.write(`${line}\n`);

/** What is said behind the command goes before what the environment says. */
function said(): Record<string, string | undefined> {
  try {
    const { values } = parseArgs({ options: { queue: { type: 'string' }, exports: { type: 'string' } } });
    return {
      ...(values.queue === undefined ? {} : { MIVVY_QUEUE: values.queue }),
      ...(values.exports === undefined ? {} : { MIVVY_EXPORTS: values.exports }),
    };
  } catch (error) {
    process.stderr.write(
      `${(error as Error).message}\nUsage: ./mivvy start [--queue redis://…] [--exports N]\n`,
    );
    return process.exit(2);
  }
}

const env = environment.safeParse({ ...process.env, ...said() });
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
  if (error instanceof NotLaidOut) {
    process.stderr.write(`${error.message}\n`);
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

/** The certificate that the workspace shows; undefined without TLS. */
async function readCertificate(): Promise<{ cert: Buffer; key: Buffer } | undefined> {
  const { MIVVY_TLS_CERT: cert, MIVVY_TLS_KEY: key } = env.data!;
  if (cert === undefined && key === undefined) return undefined;
  if (cert === undefined || key === undefined) {
    process.stderr.write('MIVVY_TLS_CERT and MIVVY_TLS_KEY belong together: name both files.\n');
    process.exit(2);
  }
  try {
    const read = { cert: await readFile(cert), key: await readFile(key) };
    createSecureContext(read);
    return read;
  } catch (error) {
    process.stderr.write(`The certificate cannot be used: ${(error as Error).message}\n`);
    process.exit(2);
  }
}

const host = env.data.MIVVY_HOST;
const certificate = await readCertificate();
const wanted = env.data.MIVVY_PORT;
let open: (app: RequestListener) => void;
const opened = new Promise<RequestListener>((resolve) => (open = resolve));
/** Whoever asks before the workspace is open waits for it. */
const answer: RequestListener = (...asked) => void opened.then((app) => app(...asked));
const server = certificate ? createSecureServer(certificate, answer) : createServer(answer);
const port = await listenAt(server, host, wanted).catch((error: NodeJS.ErrnoException) => {
  process.stderr.write(
    error.code === 'EACCES'
      ? `MIVVY_PORT ${wanted} is not for everybody to take on this machine. Set it to another, above 1023.\n`
      : `MIVVY_HOST ${host} is no address of this machine.\n`,
  );
  process.exit(2);
});
const reached = accessOf({
  host,
  port,
  tls: certificate !== undefined,
  address: env.data.MIVVY_ADDRESS,
  always: env.data.MIVVY_SIGN_IN === 'always',
  secondFactor: env.data.MIVVY_SECOND_FACTOR,
  idleMinutes: env.data.MIVVY_IDLE_MINUTES ?? null,
  trustedProxies: env.data.MIVVY_TRUST_PROXY.split(',')
    .map((each) => each.trim())
    .filter(Boolean),
});
const logFile = new PatientLog(join(logDir, 'server.log'));
const log = pino({ level: env.data.MIVVY_LOG_LEVEL }, logFile);
const ws = await openWorkspace({
  dataDir,
  inboxes,
  disks: {
    originals: env.data.MIVVY_ORIGINALS_DIR,
    exports: env.data.MIVVY_EXPORTS_DIR,
    cache: env.data.MIVVY_CACHE_DIR,
  },
  log,
  looking: env.data.MIVVY_LOOKING,
  exportsAtOnce: env.data.MIVVY_EXPORTS,
  queueUrl: env.data.MIVVY_QUEUE,
  access: reached,
}).catch(unusable);
const addressFile = join(dataDir, 'server.json');
open!(createApp(ws));
if (wanted !== 0 && port !== wanted) say(`Port ${wanted} is taken, so another was chosen.`);
say(`Mivvy is at ${reached.address}  (data in ${dataDir}; stop with Ctrl+C)`);
log.info({ port, dataDir }, 'listening');
writeFile(addressFile, JSON.stringify({ port, pid: process.pid, address: reached.address })).catch(
  (error: unknown) => log.warn({ err: error }, 'the address could not be written down'),
);
if (reached.signIn && !(await anybody(ws.db)))
  say('People sign in, and there is nobody yet. Make the first: ./mivvy person NAME');
if (reached.signIn && !reached.secure && !isLoopback(host) && !env.data.MIVVY_ADDRESS?.startsWith('https:'))
  say(
    'Passwords go over the network unencrypted: name a certificate (MIVVY_TLS_CERT, MIVVY_TLS_KEY), or put a proxy with TLS before it.',
  );
const reviewWanted = env.data.MIVVY_REVIEW_PORT;
const reviewHost = env.data.MIVVY_REVIEW_HOST;
const reviewServer = createServer(createReviewApp(ws));
const reviewPort = await listenAt(reviewServer, reviewHost, reviewWanted).catch(() => null);
if (reviewPort === null)
  say(`Review links cannot open at ${reviewHost}: that is no address of this machine.`);
else {
  ws.reviewAddress =
    env.data.MIVVY_REVIEW_ADDRESS?.replace(/\/$/, '') ?? `http://${addressFor(reviewHost)}:${reviewPort}`;
  if (reviewHost !== '127.0.0.1')
    say(
      `Review links open at ${ws.reviewAddress}: whoever reaches that address and has a link sees its films.`,
    );
}

// Films take as long as they take; a slow upload is not a broken one.
server.requestTimeout = 0;

/** The address is ours to remove only while it names this process. */
async function forgetAddress(): Promise<void> {
  const text = await readFile(addressFile, 'utf8').catch(() => '');
  if (text.includes(`"pid":${process.pid}`)) await rm(addressFile, { force: true });
}

let closing = false;
async function stop(): Promise<void> {
  server.close();
  server.closeAllConnections();
  reviewServer.close();
  reviewServer.closeAllConnections();
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
