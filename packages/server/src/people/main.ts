import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { fileURLToPath } from 'node:url';
import * as z from 'zod';
import { problemLine } from '@mivvy/core';
import { newPersonSchema, roles } from '@mivvy/api';
import { openDatabase } from '../db/database.ts';
import { addPerson, linkHours, listPeople, renewLink } from './people.ts';

/**
 * `person NAME [--role ROLE]`, for the launcher: adds somebody, or lets somebody choose a password anew, and prints the
 * link that does it once. Exit status: 0 done; 2 wrong use.
 */
const tell = (line: string) => process.stderr.write(`${line}\n`);
const dataDir = resolve(
  process.env.MIVVY_DATA ?? fileURLToPath(new URL('../../../../data', import.meta.url)),
);

function readRequest(): z.infer<typeof newPersonSchema> | null {
  try {
    const { values, positionals } = parseArgs({
      allowPositionals: true,
      options: { role: { type: 'string', default: 'runs' } },
    });
    const read = newPersonSchema.safeParse({ name: positionals.join(' '), role: values.role });
    return read.success ? read.data : null;
  } catch {
    return null;
  }
}

/** How the workspace's address begins: as its server wrote it down, or as a path where none runs. */
async function addressNow(): Promise<string> {
  const text = await readFile(join(dataDir, 'server.json'), 'utf8').catch(() => '{}');
  const read = z.object({ address: z.string() }).safeParse(JSON.parse(text));
  return read.success ? read.data.address : '';
}

async function run(): Promise<number> {
  const asked = readRequest();
  if (!asked) {
    tell(`Usage: mivvy person NAME [--role ${roles.join('|')}]`);
    return 2;
  }
  const file = join(dataDir, 'mivvy.sqlite');
  if (!existsSync(file)) {
    tell(`There is no workspace in ${dataDir}. Start Mivvy once, or set MIVVY_DATA to its folder.`);
    return 2;
  }
  const { db, close } = await openDatabase(file);
  try {
    const known = (await listPeople(db)).find((person) => person.name === asked.name);
    const made = known
      ? { ok: true as const, value: { secret: await renewLink(db, known.id) } }
      : await addPerson(db, asked);
    if (!made.ok) {
      tell(problemLine(made.problem));
      return 2;
    }
    const ends = known?.codesSince ? '; their second factor ends then' : '';
    tell(
      `${asked.name} ${known ? 'chooses a new password' : `comes in as one who ${asked.role}`} by this link, once, within ${linkHours} hours${ends}:`,
    );
    process.stdout.write(`${await addressNow()}/join#${made.value.secret}\n`);
    return 0;
  } finally {
    close();
  }
}

process.exitCode = await run();
