import * as z from 'zod';

/** Anything that is worth keeping of a production: what happened, with what a sentence about it needs. */
export const happeningSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('made'), file: z.string(), passed: z.boolean() }),
  z.object({ kind: z.literal('renamed'), file: z.string(), before: z.string() }),
  z.object({ kind: z.literal('due'), day: z.string().nullable() }),
  z.object({ kind: z.literal('holder'), holder: z.string() }),
  z.object({ kind: z.literal('shown'), link: z.string(), file: z.string() }),
  z.object({ kind: z.literal('approved'), file: z.string() }),
  z.object({ kind: z.literal('changes-asked'), file: z.string() }),
  z.object({ kind: z.literal('answer-withdrawn'), file: z.string() }),
  z.object({ kind: z.literal('note'), words: z.string(), frame: z.number().int() }),
  z.object({ kind: z.literal('note-done'), words: z.string(), done: z.boolean() }),
  z.object({ kind: z.literal('packed'), files: z.number().int() }),
  z.object({ kind: z.literal('sent'), file: z.string(), to: z.string(), receipt: z.string() }),
  z.object({ kind: z.literal('live'), file: z.string(), to: z.string(), address: z.string() }),
  z.object({ kind: z.literal('taken-down'), file: z.string(), to: z.string(), reason: z.string() }),
  z.object({ kind: z.literal('not-sent'), file: z.string(), to: z.string(), reason: z.string() }),
  z.object({ kind: z.literal('restored'), file: z.string() }),
  z.object({ kind: z.literal('cleared'), file: z.string() }),
]);
export type Happening = z.infer<typeof happeningSchema>;
type Kind = Happening['kind'];

/** A day as a person reads it: “3 Dec 2026”. */
const dayLabel = (day: string): string =>
  new Date(`${day}T00:00:00Z`).toLocaleDateString('en-GB', {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
    timeZone: 'UTC',
  });

const quoted = (words: string) => `“${words.length > 80 ? `${words.slice(0, 79)}…` : words}”`;

/** One sentence for each kind, without its author and its date. */
const sentences: { [K in Kind]: (of: Extract<Happening, { kind: K }>) => string } = {
  made: ({ file, passed }) => `${file} was made and ${passed ? 'passed its check' : 'failed its check'}`,
  renamed: ({ file, before }) => `${before} is called ${file} now`,
  due: ({ day }) => (day === null ? 'It is due on no day any more' : `It is due on ${dayLabel(day)}`),
  holder: ({ holder }) => (holder ? `${holder} has it` : 'Nobody has it any more'),
  shown: ({ link, file }) => `${file} was laid before whoever opens “${link}”`,
  approved: ({ file }) => `${file} was approved`,
  'changes-asked': ({ file }) => `Changes of ${file} were asked for`,
  'answer-withdrawn': ({ file }) => `The answer to ${file} was taken back`,
  note: ({ words }) => `A note: ${quoted(words)}`,
  'note-done': ({ words, done }) => `The note ${quoted(words)} ${done ? 'is done' : 'is open again'}`,
  packed: ({ files }) => `${files === 1 ? 'One file was' : `${files} files were`} packed for handing over`,
  sent: ({ file, to, receipt }) => `${file} arrived at ${to}, receipt ${receipt}`,
  live: ({ file, to, address }) => `${file} is live at ${to}: ${address}`,
  'taken-down': ({ file, to, reason }) => `${to} took ${file} down: ${reason}`,
  'not-sent': ({ file, to, reason }) => `${file} was not taken by ${to}: ${reason}`,
  restored: ({ file }) => `The framing of ${file} holds again`,
  cleared: ({ file }) => `${file} was cleared from the disk; its evidence is kept`,
};

/** What happened, in one sentence. */
export function happeningWords(of: Happening): string {
  return (sentences[of.kind] as (of: Happening) => string)(of);
}

/** The same in a word or two, for rows that say which file it was. */
const inShort: { [K in Kind]: (of: Extract<Happening, { kind: K }>) => string } = {
  made: ({ passed }) => (passed ? 'made, passed its check' : 'made, failed its check'),
  renamed: () => 'renamed',
  due: ({ day }) => (day === null ? 'its day taken away' : `due on ${dayLabel(day)}`),
  holder: ({ holder }) => (holder ? `${holder} has it` : 'nobody has it'),
  shown: ({ link }) => `shown to “${link}”`,
  approved: () => 'approved',
  'changes-asked': () => 'changes asked for',
  'answer-withdrawn': () => 'its answer taken back',
  note: ({ words }) => `note ${quoted(words)}`,
  'note-done': ({ done }) => (done ? 'a note done' : 'a note open again'),
  packed: () => 'packed',
  sent: ({ to }) => `arrived at ${to}`,
  live: ({ to }) => `live at ${to}`,
  'taken-down': ({ to }) => `taken down by ${to}`,
  'not-sent': ({ to }) => `not taken by ${to}`,
  restored: () => 'an earlier framing put back',
  cleared: () => 'an older file cleared',
};

/** What happened, in a few words. */
export function happeningInShort(of: Happening): string {
  return (inShort[of.kind] as (of: Happening) => string)(of);
}
