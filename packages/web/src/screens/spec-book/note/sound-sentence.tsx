import { channelsLabel, codecLabel, decibelLabel, type Placement } from '@mivvy/core';
import { Choice } from '../../../parts/choice.tsx';
import { OptionalNumber } from '../../../parts/editable-text.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';

type Sound = NonNullable<Placement['audio']>;
/** Sound as it is usually asked for; what a silent place begins with when it gets some. */
const usual: Sound = {
  codec: 'aac',
  kbps: 128,
  sampleRate: 48000,
  channels: 2,
  loudness: { integratedLufs: -14, truePeakDbtp: -1 },
};
const loudest = -5;
const quietest = -40;

function LoudnessWords({ sound, set }: { sound: Sound; set: (change: Partial<Sound>) => void }) {
  const { loudness } = sound;
  return (
    <>
      <OptionalNumber
        label="Loudness, LUFS"
        value={loudness?.integratedLufs}
        shown={loudness ? <b>{decibelLabel(loudness.integratedLufs)} LUFS</b> : 'as loud as it is'}
        min={quietest}
        max={loudest}
        unit="LUFS"
        onChange={(integratedLufs) =>
          set({
            loudness:
              integratedLufs === undefined
                ? undefined
                : { integratedLufs, truePeakDbtp: loudness?.truePeakDbtp ?? -1 },
          })
        }
      />
      {loudness && (
        <>
          {' '}
          with peaks to{' '}
          <EditableNumber
            label="True peak"
            value={loudness.truePeakDbtp}
            shown={<b>{decibelLabel(loudness.truePeakDbtp)} dBTP</b>}
            min={-20}
            max={0}
            step={0.1}
            unit="dBTP"
            onChange={(truePeakDbtp) => set({ loudness: { ...loudness, truePeakDbtp } })}
          />
        </>
      )}
    </>
  );
}

/** How the sound is coded, and how loud it is. */
export function SoundSentence() {
  const { placement, edit } = usePlacementDraft();
  const { audio, container } = placement;
  const codec = container === 'webm' ? 'opus' : 'aac';
  const whether = (
    <Choice
      label="Sound"
      value={audio === null ? 'silent' : audio.required ? 'required' : 'sound'}
      shown={
        audio === null
          ? 'silent'
          : audio.required
            ? 'with sound, which must be there'
            : 'with sound, where there is any'
      }
      options={[
        { value: 'silent', name: 'Silent', more: 'Any sound is left out' },
        { value: 'sound', name: 'With sound, where there is any' },
        { value: 'required', name: 'With sound, which must be there', more: 'A film without is refused' },
      ]}
      onChange={(kind) =>
        edit({
          audio:
            kind === 'silent'
              ? null
              : { ...(audio ?? { ...usual, codec }), required: kind === 'required' || undefined },
        })
      }
    />
  );
  if (!audio) return <p>Delivered {whether}.</p>;
  const set = (change: Partial<Sound>) => edit({ audio: { ...audio, ...change } });
  return (
    <p>
      Delivered {whether}: in{' '}
      <Choice
        label="Sound’s codec"
        value={audio.codec}
        shown={<b>{codecLabel(audio.codec)}</b>}
        options={[
          { value: 'aac', name: 'AAC' },
          { value: 'opus', name: 'Opus' },
        ]}
        onChange={(next) => set({ codec: next })}
      />
      ,{' '}
      <Choice
        label="Channels"
        value={String(audio.channels) as '1' | '2'}
        shown={<b>{channelsLabel(audio.channels)}</b>}
        options={[
          { value: '2', name: channelsLabel(2) },
          { value: '1', name: channelsLabel(1) },
        ]}
        onChange={(next) => set({ channels: next === '1' ? 1 : 2 })}
      />
      ,{' '}
      <EditableNumber
        label="Sound’s bitrate"
        value={audio.kbps}
        shown={<b>{audio.kbps} kbit/s</b>}
        min={16}
        max={1024}
        unit="kbit/s"
        onChange={(kbps) => set({ kbps })}
      />
      ,{' '}
      <Choice
        label="Sample rate"
        value={String(audio.sampleRate)}
        shown={<b>{audio.sampleRate / 1000} kHz</b>}
        options={['44100', '48000', '96000'].map((rate) => ({
          value: rate,
          name: `${Number(rate) / 1000} kHz`,
        }))}
        onChange={(rate) => set({ sampleRate: Number(rate) as Sound['sampleRate'] })}
      />
      , at <LoudnessWords sound={audio} set={set} />.
    </p>
  );
}
