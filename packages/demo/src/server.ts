import { readFile } from 'node:fs/promises';
import { setTimeout } from 'node:timers/promises';
import * as z from 'zod';

const addressSchema = z.object({ port: z.number() });

/** The address in a file, if a server answers there; a server that was killed has left its own behind. */
async function answering(file: string): Promise<string | null> {
  try {
    const { port } = addressSchema.parse(JSON.parse(await readFile(file, 'utf8')));
    const base = `http://127.0.0.1:${port}`;
    return (await fetch(`${base}/api/health`)).ok ? base : null;
  } catch {
    return null;
  }
}

/** Waits until the server answers at the address that it has written. */
async function serverAddress(file: string): Promise<string> {
  for (let i = 0; i < 300; i++) {
    const base = await answering(file);
    if (base) return base;
    await setTimeout(200);
  }
  throw new Error('the server did not start');
}

/** Asks a server's API, and parses what it answers. Throws where it refuses. */
export type Ask = <S extends z.ZodType>(
  schema: S,
  path: string,
  method?: string,
  body?: unknown,
) => Promise<z.infer<S>>;

/** Sends a file's bytes, and parses what the API answers. Throws where it refuses. */
export type SendFile = <S extends z.ZodType>(schema: S, path: string, bytes: Buffer) => Promise<z.infer<S>>;

/** A way to send files to the server that writes its address into a file. */
export async function senderOf(file: string): Promise<SendFile> {
  const base = await serverAddress(file);
  return async (schema, path, bytes) => {
    const answer = await fetch(`${base}/api${path}`, {
      method: 'POST',
      body: new Uint8Array(bytes),
      headers: { 'Content-Type': 'application/octet-stream' },
    });
    const data: unknown = await answer.json();
    if (!answer.ok) throw new Error(`POST ${path}: ${JSON.stringify(data)}`);
    return schema.parse(data);
  };
}

/** The API of the server that writes its address into a file, once it answers. */
export async function apiOf(file: string): Promise<Ask> {
  const base = await serverAddress(file);
  return async (schema, path, method = 'GET', body?) => {
    const answer = await fetch(`${base}/api${path}`, {
      method,
      ...(body === undefined
        ? {}
        : { body: JSON.stringify(body), headers: { 'Content-Type': 'application/json' } }),
    });
    const data: unknown = await answer.json();
    if (!answer.ok) throw new Error(`${method} ${path}: ${JSON.stringify(data)}`);
    return schema.parse(data);
  };
}
