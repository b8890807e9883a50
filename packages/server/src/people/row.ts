import type { people } from '../db/schema.ts';

/** A person as they are kept. */
export type PersonRow = typeof people.$inferSelect;
