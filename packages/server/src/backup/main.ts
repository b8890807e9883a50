import { resolve } from 'node:path';
import { fileURLToPath } from 'node:url';
import { bytesLabel, countWords, problemLine } from '@mivvy/core';
import { isDiskFull } from '../disk/full.ts';
import { backUp } from './backup.ts';
import { restore } from './restore.ts';

/** `backup DIR` and `restore DIR`, for the launcher. Exit status: 0 all is well; 1 something is missing; 2 wrong use. */
const [command, folder, ...rest] = process.argv.slice(2);
const tell = (line: string) => process.stderr.write(`${line}\n`);
const dataDir = resolve(
  process.env.MIVVY_DATA ?? fileURLToPath(new URL('../../../../data', import.meta.url)),
);

async function run(): Promise<number> {
  if ((command !== 'backup' && command !== 'restore') || folder === undefined || rest.length > 0) {
    tell(`Usage: mivvy ${command === 'restore' ? 'restore' : 'backup'} DIR`);
    return 2;
  }
  const to = resolve(folder);
  if (command === 'backup') {
    const made = await backUp(dataDir, to);
    if (!made.ok) {
      tell(problemLine(made.problem));
      return 2;
    }
    const { files, bytes, newFiles, newBytes, missing } = made.value;
    tell(
      `Backed up ${countWords(files, 'file')}, ${bytesLabel(bytes)}, and the database into ${to}; ${countWords(newFiles, 'file')}, ${bytesLabel(newBytes)}, of them new.`,
    );
    missing.forEach(tell);
    return missing.length ? 1 : 0;
  }
  const restored = await restore(to, dataDir);
  if (!restored.ok) {
    tell(problemLine(restored.problem));
    return 2;
  }
  const { madeAt, files, bytes, words } = restored.value;
  tell(`Restored ${countWords(files, 'file')}, ${bytesLabel(bytes)}, as of ${madeAt}, into ${dataDir}.`);
  words.forEach(tell);
  return 0;
}

try {
  process.exitCode = await run();
} catch (error) {
  // A person reads a sentence, never a stack trace. Every copied file is complete or gone.
  tell(
    isDiskFull(error)
      ? 'The disk is full, so the copy was not finished. Free some space and run it again: what is there already is not copied twice.'
      : `The copy was not finished: ${(error as Error).message}. Nothing of the workspace was changed.`,
  );
  process.exitCode = 1;
}
