import * as z from 'zod';
import { follow } from './follow.ts';
import { glide } from './glide.ts';
import { hold } from './hold.ts';
import type { MoveKind } from './kind.ts';
import { path } from './path.ts';

/** How a window behaves through a stretch; each kind says in its own file what it does. */
export const moveSchema = z.discriminatedUnion('kind', [
  hold.schema,
  glide.schema,
  path.schema,
  follow.schema,
]);
export type Move = z.infer<typeof moveSchema>;
export type MoveOf<Kind extends Move['kind']> = Extract<Move, { kind: Kind }>;

const kinds: { [Kind in Move['kind']]: MoveKind<MoveOf<Kind>> } = { hold, glide, path, follow };

/** What a move's kind is. The one place where a kind is looked up. */
export function kindOf(move: Move): MoveKind<Move> {
  return kinds[move.kind] as MoveKind<Move>;
}

/** The kind of a name. */
export function moveKind(kind: Move['kind']): MoveKind<Move> {
  return kinds[kind] as MoveKind<Move>;
}
