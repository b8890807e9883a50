import * as z from 'zod';

const id = z.string();
const when = z.iso.datetime();

/** What a person may do: everything, and say who else comes in; the work; or look and fetch. */
export const roles = ['runs', 'works', 'looks'] as const;
export const roleSchema = z.enum(roles);
export type Role = z.infer<typeof roleSchema>;

const nameSchema = z.string().trim().min(1, 'a name is needed').max(60);
/** Any letters, spaces too; long enough that it is not guessed (NIST SP 800-63B, OWASP ASVS 2.1.1 and 2.1.2). */
export const passwordSchema = z
  .string()
  .refine((text) => [...text.normalize('NFKC')].length >= 12, 'a password has at least 12 letters')
  .refine((text) => [...text].length <= 128, 'a password has at most 128 letters');
const secretSchema = z.string().min(20).max(120);

/** Whoever asks: a person, or nobody. */
export const meSchema = z.object({
  /** Nothing is shown to who has not signed in. */
  signIn: z.boolean(),
  person: z.object({ id, name: z.string(), role: roleSchema }).nullable(),
  /** Nothing but a second factor can be set up until there is one: this workspace asks for it of people like them. */
  mustSetUpCodes: z.boolean(),
});
export type Me = z.infer<typeof meSchema>;

/** A code of a second factor, or a spare one; spaces and dashes in it count for nothing. */
const codeSchema = z
  .string()
  .max(60)
  .transform((text) => text.replaceAll(/[\s-]/g, '').toUpperCase());

export const signInSchema = z.strictObject({
  name: z.string().max(60),
  password: z.string().max(512),
  /** Wanted of who has a second factor. */
  code: codeSchema.optional(),
});
/** The secret of a one-time link, and the password that is chosen with it. */
export const joinSchema = z.strictObject({ secret: secretSchema, password: passwordSchema });
export const passwordChangeSchema = z.strictObject({ old: z.string().max(512), password: passwordSchema });

export const personSchema = z.object({
  id,
  name: z.string(),
  role: roleSchema,
  /** Has chosen a password; before that only a one-time link lets in. */
  joined: z.boolean(),
  /** When an open one-time link ends; null where there is none. */
  linkEndsAt: when.nullable(),
  /** Since when a code is asked of them beside the password; null where none is. */
  codesSince: when.nullable(),
  /** When they were last here; null for never. */
  lastSeenAt: when.nullable(),
  createdAt: when,
});
export type Person = z.infer<typeof personSchema>;
export const newPersonSchema = z.strictObject({ name: nameSchema, role: roleSchema });
export const personChangeSchema = z.strictObject({
  name: nameSchema.optional(),
  role: roleSchema.optional(),
});
/** A person with a link that lets them choose a password: told once. */
export const personLinkSchema = z.object({ person: personSchema, link: z.string() });

/** One's own second factor. */
export const secondFactorSchema = z.object({
  /** Since when a code is asked for beside the password; null where none is. */
  since: when.nullable(),
  /** Spare codes that were not used yet. */
  spareCodes: z.number().int().min(0),
});
export type SecondFactor = z.infer<typeof secondFactorSchema>;
export const ownPasswordSchema = z.strictObject({ password: z.string().max(512) });
export const ownCodeSchema = z.strictObject({ code: codeSchema });
/** What an app that makes codes is told: as an address that it reads from a picture, and as letters to be typed. */
export const proposedCodesSchema = z.object({ address: z.string(), secret: z.string() });
/** Spare codes of a second factor that was turned on: told once. */
export const spareCodesSchema = z.object({ spareCodes: z.array(z.string()) });

export const sessionSchema = z.object({
  id,
  person: z.string(),
  /** What the browser calls itself, shortened. */
  browser: z.string(),
  address: z.string(),
  createdAt: when,
  lastSeenAt: when,
  endsAt: when,
  /** It is the one that asks. */
  own: z.boolean(),
});
export type Session = z.infer<typeof sessionSchema>;

export const tokenSchema = z.object({
  id,
  name: z.string(),
  person: z.string(),
  role: roleSchema,
  /** Whose it is: a script's, or a render machine's, which opens nothing but what such a machine needs. */
  holder: z.enum(['script', 'machine']),
  createdAt: when,
  lastUsedAt: when.nullable(),
  endsAt: when,
});
export type Token = z.infer<typeof tokenSchema>;
export const newTokenSchema = z.strictObject({
  name: nameSchema,
  role: roleSchema,
  holder: z.enum(['script', 'machine']).default('script'),
  days: z.number().int().min(1).max(366),
});
/** A token with its secret: told once. */
export const madeTokenSchema = z.object({ token: tokenSchema, secret: z.string() });

/** The version that a window has open; null where it has closed it. */
export const hereSchema = z.strictObject({ versionId: id.nullable() });
/** Who else has it open, by name; a name is empty where nobody signed. */
export const othersHereSchema = z.object({ others: z.array(z.string()) });
