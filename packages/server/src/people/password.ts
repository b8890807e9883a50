import { hash, verify, type Options } from '@node-rs/argon2';

/** OWASP's password storage cheat sheet for Argon2id (19 MiB, two passes, one lane), from memory; Argon2id is RFC 9106. */
const cost: Options = { algorithm: 2, memoryCost: 19_456, timeCost: 2, parallelism: 1 };

const written = (password: string) => password.normalize('NFKC');

/** What is kept of a password. */
export const hashPassword = (password: string): Promise<string> => hash(written(password), cost);

/** A password that nobody has: trying one takes as long for a name that is not there as for one that is. */
const nobodys = hashPassword('a password that nobody ever chose');

/** Whether a password is the one that was kept; never where none was. */
export async function isPassword(kept: string | null, tried: string): Promise<boolean> {
  const right = await verify(kept ?? (await nobodys), written(tried));
  return right && kept !== null;
}
