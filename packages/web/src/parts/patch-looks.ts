/** What a patch over a title of the film can show. */
export const patchLooks = [
  { value: 'soft' as const, name: 'the film around it, softly', more: 'spread inwards from its edges' },
  { value: 'plate' as const, name: 'one colour', more: 'a plate' },
];
