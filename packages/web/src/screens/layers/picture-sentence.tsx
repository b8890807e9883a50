import { useSnackbar } from 'notistack';
import { useRef } from 'react';
import { problemLine, type Layer } from '@mivvy/core';
import { problemOf } from '../../api/client.ts';
import { useTakeGraphic } from '../../api/dressing.ts';
import { useLayers } from './layers-session.tsx';

/** Another picture in the place of a layer's: in every version, or in this one alone where changes are for it. */
export function PictureSentence({ layer }: { layer: Layer }) {
  const { edit, scope, version } = useLayers();
  const file = useRef<HTMLInputElement>(null);
  const take = useTakeGraphic();
  const { enqueueSnackbar } = useSnackbar();
  const own = layer.otherwise[version.id]?.picture;
  const replace = (chosen: File) =>
    take.mutate(chosen, {
      onSuccess: (taken) => {
        if (taken.kind !== 'picture')
          return void enqueueSnackbar('A picture is taken in the place of a picture.', {
            variant: 'warning',
          });
        const { picture } = taken;
        edit(layer.id, (l) => {
          if (scope === 'every' && own === undefined) return { ...l, what: taken };
          return {
            ...l,
            otherwise: { ...l.otherwise, [version.id]: { ...l.otherwise[version.id], picture } },
          };
        });
      },
      onError: (error) => enqueueSnackbar(problemLine(problemOf(error)), { variant: 'error' }),
    });
  return (
    <p>
      <button className="fix" onClick={() => file.current?.click()}>
        Another picture
      </button>{' '}
      {own || scope !== 'every' ? `in ${version.tag} alone` : 'in every version'}
      {own && (
        <>
          , or{' '}
          <button
            className="fix"
            onClick={() =>
              edit(layer.id, (l) => {
                const { picture: _picture, ...rest } = l.otherwise[version.id] ?? {};
                return { ...l, otherwise: { ...l.otherwise, [version.id]: rest } };
              })
            }
          >
            everyone’s again
          </button>
        </>
      )}
      <input
        ref={file}
        type="file"
        hidden
        accept=".png,.webp,.jpg,.jpeg,.svg"
        data-testid="other-picture-chooser"
        onChange={(event) => {
          const [chosen] = event.target.files ?? [];
          event.target.value = '';
          if (chosen) replace(chosen);
        }}
      />
    </p>
  );
}
