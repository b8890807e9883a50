import { createHash, randomBytes } from 'node:crypto';

/** Bytes of a secret: 256 bits. */
const secretBytes = 32;

/** A secret that nobody guesses, in letters that fit into cookies, headers and addresses. */
export const newSecret = (): string => randomBytes(secretBytes).toString('base64url');

/** What is kept of a secret. It is random and long, so that a plain hash is enough: nobody finds the secret from it. */
export const hashOf = (secret: string): string => createHash('sha256').update(secret).digest('hex');
