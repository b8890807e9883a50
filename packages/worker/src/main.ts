import { mkdir, readFile, rm } from 'node:fs/promises';
import { homedir, hostname } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { nanoid } from 'nanoid';
import pRetry, { AbortError } from 'p-retry';
import * as z from 'zod';
import { problemLine } from '@mivvy/core';
import { mostMachineLog } from '@mivvy/api';
import { LastLines } from './last-lines.ts';
import { RenderMachine } from './render-machine.ts';
import { Refused } from './server-client.ts';

const usage = `Usage: ./mivvy worker --server URL --queue redis://… [options]
  --server URL         the workspace's address
  --queue URL          the queue that the workspace was started with
  --token-file FILE    a file that holds this machine's token; needed where people sign in
  --name NAME          how this machine is called; its host name otherwise
  --cache DIR          where films are kept; ~/.cache/mivvy-worker/NAME otherwise
  --cache-gb N         how much of them, in GB; 50 otherwise
  --share DIR          where this machine sees the workspace's data folder: films are used there
  --exports N          so many exports at once at most; as many as the machine bears otherwise
A certificate of the workspace's own making is trusted by NODE_EXTRA_CA_CERTS=FILE.`;

/** How long a server that does not answer is waited for, before it is said. */
const joinRetries = { retries: 20, minTimeout: 500, maxTimeout: 3000 };

const wanted = z.object({
  server: z.url({ protocol: /^https?$/, error: 'it is no address such as http://studio.example:4600' }),
  queue: z.url({ protocol: /^rediss?$/, error: 'it is no address such as redis://studio.example:6379' }),
  'token-file': z.string().optional(),
  name: z.string().trim().min(1).max(60).default(hostname().slice(0, 60)),
  cache: z.string().optional(),
  share: z.string().optional(),
  'cache-gb': z.coerce.number().min(0).max(1_000_000).default(50),
  exports: z.coerce.number().int().min(1).max(64).optional(),
});

function wrong(sentence: string): never {
  process.stderr.write(`${sentence}\n${usage}\n`);
  process.exit(2);
}

function read(): z.infer<typeof wanted> {
  const text = { type: 'string' } as const;
  try {
    const { values } = parseArgs({
      options: {
        server: text,
        queue: text,
        'token-file': text,
        name: text,
        cache: text,
        share: text,
        'cache-gb': text,
        exports: text,
        help: { type: 'boolean' },
      },
    });
    if (values.help) {
      process.stdout.write(`${usage}\n`);
      process.exit(0);
    }
    const parsed = wanted.safeParse(values);
    if (parsed.success) return parsed.data;
    const issue = parsed.error.issues[0]!;
    return wrong(`--${issue.path.join('.')} is not usable: ${issue.message}.`);
  } catch (error) {
    return wrong((error as Error).message);
  }
}

const asked = read();
const folder = resolve(
  asked.cache ?? join(homedir(), '.cache', 'mivvy-worker', asked.name.replace(/[^\w.-]+/g, '-')),
);
const tokenFile = asked['token-file'];
const token =
  tokenFile === undefined
    ? undefined
    : (
        await readFile(tokenFile, 'utf8').catch(() => wrong(`The token file ${tokenFile} cannot be read.`))
      ).trim();
await mkdir(folder, { recursive: true }).catch((error: Error) =>
  wrong(`The cache cannot be used: ${error.message}`),
);
const clearWork = () => rm(join(folder, 'work'), { recursive: true, force: true });
// Whatever a process before this one was at belongs to nobody.
await clearWork();

const log = new LastLines(mostMachineLog, (line) => process.stdout.write(`${line}\n`));
const machine = new RenderMachine({
  server: asked.server.replace(/\/+$/, ''),
  queue: asked.queue,
  token,
  name: asked.name,
  session: nanoid(12),
  folder,
  share: asked.share === undefined ? undefined : resolve(asked.share),
  cacheLimit: Math.round(asked['cache-gb'] * 1e9),
  atOnce: asked.exports,
  log,
});

for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => void machine.stop());

try {
  await pRetry(async () => {
    try {
      await machine.start();
    } catch (error) {
      // One that was started anew has its name back in a few seconds; every other refusal stands.
      const stands = error instanceof Refused && error.problem.code !== 'machine-there' && error.status < 500;
      if (!stands) log.say((error as Error).message);
      throw stands ? new AbortError(error) : error;
    }
  }, joinRetries);
} catch (error) {
  const said = error instanceof Refused ? problemLine(error.problem) : `${asked.server} does not answer.`;
  process.stderr.write(`${said}\n`);
  process.exit(2);
}
const ended = await machine.ended;
// A tool that is still ending may be in the way; then it goes at the next start.
await clearWork().catch(() => undefined);
if (ended) process.stderr.write(`${problemLine(ended.problem)}\n`);
process.exit(ended ? 3 : 0);
