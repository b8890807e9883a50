import { useDrawTextless } from '../../../api/changes.ts';
import { Choice } from '../../../parts/choice.tsx';
import { useFraming } from '../framing-session.tsx';

/** Which of the two films a version is drawn from, where there is a textless master or one is asked for. */
export function DrawnSentence() {
  const { version, master } = useFraming();
  const draw = useDrawTextless();
  if (!master.textless && !version.textless) return null;
  return (
    <p>
      Drawn from{' '}
      <Choice
        label="Drawn from"
        value={version.textless ? 'textless' : 'film'}
        shown={version.textless ? 'the textless master' : 'the film itself'}
        options={[
          { value: 'film', name: 'the film itself' },
          ...(master.textless || version.textless
            ? [
                {
                  value: 'textless' as const,
                  name: 'the textless master',
                  more: 'the same pictures without the titles',
                },
              ]
            : []),
        ]}
        onChange={(from) => draw.mutate({ versionId: version.id, textless: from === 'textless' })}
      />
      .
    </p>
  );
}
