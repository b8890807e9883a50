// Runs programs written in TypeScript, one after the other: node run.mjs [--before FILE.ts] MAIN.ts [ARGUMENT…]
import { resolve } from 'node:path';
import process from 'node:process';
import { pathToFileURL } from 'node:url';
import { bundled } from './bundle.mjs';

/** Runs a program from its bundle, or slower where that cannot be written down. */
async function run(path) {
  const file = pathToFileURL(resolve(path));
  let ready = file;
  try {
    ready = await bundled(file);
  } catch {
    const { register } = await import('tsx/esm/api');
    register();
  }
  await import(ready.href);
}

const [first, second, ...rest] = process.argv.slice(2);
const before = first === '--before';
const [main, ...args] = before ? rest : [first, ...(second === undefined ? [] : [second]), ...rest];
process.argv = [process.argv[0], resolve(main), ...args];
if (before) await run(second);
await run(main);
