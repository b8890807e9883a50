import { useSnackbar } from 'notistack';
import { useRef } from 'react';
import { isOwn, problemLine, typefaceNames, type Face, type OwnFace, type ShippedFace } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useBringInTypeface, useDropTypeface, useTypefaces } from '../../api/typefaces.ts';
import { Choice } from '../../parts/choice.tsx';

/** The choices that open a file, and that take a typeface out of those that are offered. */
const [another, noMore] = ['another', 'no more'];

/** What words are set in: a typeface that ships, one of the workspace's own, or one that is brought in now. */
export function TypefaceChoice({ face, onChange }: { face: Face; onChange: (face: Face) => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const own = useTypefaces().data ?? [];
  const bringIn = useBringInTypeface();
  const drop = useDropTypeface();
  const { enqueueSnackbar } = useSnackbar();
  // One that is offered no more is still what these words are set in.
  const all = isOwn(face) && !own.some((each) => each.own === face.own) ? [...own, face] : own;
  const choose = (value: string) => {
    if (value === another) return chooser.current?.click();
    if (value === noMore) return offerNoMore();
    const chosen = all.find((each) => each.own === value);
    onChange(chosen ?? shipped(face, value as ShippedFace['family']));
  };
  const offerNoMore = () => {
    if (!isOwn(face)) return;
    drop.mutate(face.own, {
      onSuccess: () => enqueueSnackbar(`${face.name} is offered no more. What is set in it stays so.`),
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    });
  };
  const take = (file: File) =>
    bringIn.mutate(file, {
      onSuccess: onChange,
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    });
  return (
    <>
      <Choice
        label="Typeface"
        value={isOwn(face) ? face.own : face.family}
        shown={isOwn(face) ? face.name : face.family}
        options={[
          ...typefaceNames.map((value) => ({ value: value as string, name: value })),
          ...all.map(({ own: value, name }) => ({ value, name })),
          { value: another, name: 'Bring in a typeface', more: 'TrueType, OpenType, WOFF or WOFF2' },
          ...(isOwn(face) && own.some((each) => each.own === face.own)
            ? [{ value: noMore, name: `Offer ${face.name} no more`, more: 'what is set in it stays so' }]
            : []),
        ]}
        onChange={choose}
      />
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".ttf,.otf,.woff,.woff2"
        data-testid="typeface-chooser"
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          event.target.value = '';
          if (file) take(file);
        }}
      />
    </>
  );
}

/** A typeface that ships at the weight that was chosen before, where one was. */
const shipped = (before: ShippedFace | OwnFace, family: ShippedFace['family']): ShippedFace => ({
  family,
  weight: isOwn(before) ? 600 : before.weight,
});
