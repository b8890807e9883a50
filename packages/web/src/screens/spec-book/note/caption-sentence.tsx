import { Choice } from '../../../parts/choice.tsx';
import { EditableText } from '../../../parts/editable-text.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';

const words = {
  none: 'without captions',
  sidecar: 'beside the film',
  burned: 'drawn into the picture',
} as const;
const language = /^[A-Za-z]{2,8}(-[A-Za-z0-9]{1,8})*$/;

/** Captions and the letters of file names. */
export function CaptionSentence() {
  const { placement, edit } = usePlacementDraft();
  const { captions = 'none', captionFormat = 'srt', captionLanguage, fileNames } = placement;
  return (
    <p>
      Captions:{' '}
      <Choice
        label="Captions"
        value={captions}
        shown={words[captions]}
        options={(['none', 'sidecar', 'burned'] as const).map((value) => ({ value, name: words[value] }))}
        onChange={(value) => edit({ captions: value === 'none' ? undefined : value })}
      />
      {captions === 'sidecar' && (
        <>
          , as{' '}
          <Choice
            label="Caption file"
            value={captionFormat}
            shown={captionFormat === 'srt' ? 'SubRip' : 'WebVTT'}
            options={[
              { value: 'srt', name: 'SubRip (.srt)' },
              { value: 'vtt', name: 'WebVTT (.vtt)' },
            ]}
            onChange={(value) => edit({ captionFormat: value })}
          />
        </>
      )}
      {captions !== 'none' && (
        <>
          , in{' '}
          <EditableText
            label="Captions’ language"
            value={captionLanguage ?? ''}
            shown={captionLanguage ?? 'any language'}
            hint="As in en or pt-BR; empty: any"
            wrong={(text) =>
              text.trim() === '' || language.test(text.trim()) ? undefined : 'As in en or pt-BR'
            }
            onChange={(text) => edit({ captionLanguage: text || undefined })}
          />
        </>
      )}
      . Its files are named in{' '}
      <Choice
        label="File names"
        value={fileNames ?? 'any'}
        shown={fileNames === 'plain' ? 'plain letters' : 'letters of any script'}
        options={[
          { value: 'any', name: 'Letters of any script' },
          { value: 'plain', name: 'Plain letters', more: 'a to z, digits, hyphens' },
        ]}
        onChange={(value) => edit({ fileNames: value === 'plain' ? 'plain' : undefined })}
      />
      .
    </p>
  );
}
