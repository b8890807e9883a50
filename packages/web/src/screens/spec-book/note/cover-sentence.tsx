import { Choice } from '../../../parts/choice.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';
import { EditableSize } from './editable-size.tsx';

/** The still that goes with the film. */
export function CoverSentence() {
  const { placement, edit } = usePlacementDraft();
  const { cover, frame } = placement;
  return (
    <p>
      A cover still beside the film:{' '}
      <EditableSize
        label="Cover"
        size={cover}
        missing="none"
        onChange={(size) => edit({ cover: size && { ...cover, ...size } })}
      />
      {cover ? (
        <>
          , as{' '}
          <Choice
            label="Cover’s format"
            value={cover.format ?? 'jpeg'}
            shown={cover.format === 'png' ? 'PNG' : 'JPEG'}
            options={[
              { value: 'jpeg', name: 'JPEG' },
              { value: 'png', name: 'PNG' },
            ]}
            onChange={(format) => edit({ cover: { ...cover, format } })}
          />
        </>
      ) : (
        <>
          .{' '}
          <button
            className="fix"
            onClick={() => edit({ cover: { width: frame.width, height: frame.height } })}
          >
            One of the frame’s size
          </button>
        </>
      )}
      .
    </p>
  );
}
