import { bitrateLabel, bytesLabel, codecLabel, type Placement } from '@mivvy/core';
import { Choice } from '../../../parts/choice.tsx';
import { OptionalNumber } from '../../../parts/editable-text.tsx';
import { EditableNumber } from '../../../parts/editable.tsx';
import { usePlacementDraft } from '../placement-draft.tsx';

type Video = Placement['video'];
const codecs = ['h264', 'hevc', 'vp9', 'av1'] as const;
const containers = ['mp4', 'mov', 'webm'] as const;
const mostMbps = 1000;
/** Where a way of encoding is changed, the other begins with these. */
const usual: { twoPass: Video['rate']; quality: Video['rate'] } = {
  twoPass: { mode: 'two-pass', targetKbps: 3500, maxKbps: 4000 },
  quality: { mode: 'quality', crf: 20 },
};
const mbps = (kbps: number) => kbps / 1000;

/** Two passes at a bitrate, or a quality; with a ceiling. */
function RateWords() {
  const { placement, edit } = usePlacementDraft();
  const { video } = placement;
  const { rate } = video;
  const set = (next: Video['rate']) => edit({ video: { ...video, rate: next } });
  const way = (
    <Choice
      label="Way of encoding"
      value={rate.mode}
      shown={rate.mode === 'two-pass' ? 'two passes' : 'quality'}
      options={[
        { value: 'two-pass', name: 'Two passes', more: 'An average bitrate that is met' },
        { value: 'quality', name: 'Quality', more: 'As many bits as the picture needs' },
      ]}
      onChange={(mode) => set(mode === 'two-pass' ? usual.twoPass : usual.quality)}
    />
  );
  if (rate.mode === 'two-pass')
    return (
      <>
        {way} at{' '}
        <EditableNumber
          label="Target bitrate"
          value={mbps(rate.targetKbps)}
          shown={<b>{bitrateLabel(rate.targetKbps)}</b>}
          min={0.01}
          max={mostMbps}
          step={0.1}
          unit="Mbit/s"
          onChange={(value) => set({ ...rate, targetKbps: value * 1000 })}
        />
        , never above{' '}
        <EditableNumber
          label="Highest bitrate"
          value={mbps(rate.maxKbps)}
          shown={<b>{bitrateLabel(rate.maxKbps)}</b>}
          min={0.01}
          max={mostMbps}
          step={0.1}
          unit="Mbit/s"
          onChange={(value) => set({ ...rate, maxKbps: value * 1000 })}
        />
      </>
    );
  return (
    <>
      {way}{' '}
      <EditableNumber
        label="Quality: lower is better"
        value={rate.crf}
        shown={<b>{rate.crf}</b>}
        min={0}
        max={63}
        unit="(lower is better)"
        onChange={(crf) => set({ ...rate, crf })}
      />
      ,{' '}
      <OptionalNumber
        label="Highest bitrate, Mbit/s"
        value={rate.maxKbps === undefined ? undefined : mbps(rate.maxKbps)}
        shown={
          rate.maxKbps === undefined ? 'without a ceiling' : <b>never above {bitrateLabel(rate.maxKbps)}</b>
        }
        min={0.01}
        max={mostMbps}
        unit="Mbit/s"
        onChange={(value) => set({ ...rate, maxKbps: value === undefined ? undefined : value * 1000 })}
      />
    </>
  );
}

/** What is asked of the stream itself. */
function StreamSentence() {
  const { placement, edit } = usePlacementDraft();
  const { video } = placement;
  const set = (change: Partial<Video>) => edit({ video: { ...video, ...change } });
  return (
    <p>
      A keyframe at least every{' '}
      <OptionalNumber
        label="Longest way between keyframes, seconds"
        value={video.keyframeSeconds}
        shown={
          video.keyframeSeconds === undefined ? 'so often as is usual' : <b>{video.keyframeSeconds} s</b>
        }
        min={0.04}
        max={60}
        unit="s"
        onChange={(keyframeSeconds) => set({ keyframeSeconds })}
      />
      ; profile{' '}
      <Choice
        label="Profile"
        value={video.profile ?? 'any'}
        shown={video.profile ?? 'as is usual'}
        options={[
          { value: 'any', name: 'As is usual' },
          { value: 'baseline', name: 'Baseline' },
          { value: 'main', name: 'Main' },
          { value: 'high', name: 'High' },
        ]}
        onChange={(profile) => set({ profile: profile === 'any' ? undefined : profile })}
      />
      , level{' '}
      <OptionalNumber
        label="Highest level"
        value={video.maxLevel === undefined ? undefined : Number(video.maxLevel)}
        shown={video.maxLevel === undefined ? 'as it needs' : <b>at most {video.maxLevel}</b>}
        min={1}
        max={6.2}
        unit="as in 4.1"
        onChange={(level) => set({ maxLevel: level?.toFixed(1) })}
      />
      ,{' '}
      <OptionalNumber
        label="B-frames in a row"
        value={video.bFrames}
        shown={
          video.bFrames === undefined ? 'any B-frames' : <b>at most {video.bFrames} B-frames in a row</b>
        }
        min={0}
        max={16}
        unit="in a row"
        whole
        onChange={(bFrames) => set({ bFrames })}
      />
      , groups of pictures{' '}
      <Choice
        label="Groups of pictures"
        value={video.closedGop ? 'closed' : 'any'}
        shown={video.closedGop ? 'closed' : 'of any kind'}
        options={[
          { value: 'any', name: 'Of any kind' },
          { value: 'closed', name: 'Closed', more: 'No picture looks past a keyframe' },
        ]}
        onChange={(kind) => set({ closedGop: kind === 'closed' ? true : undefined })}
      />
      .
    </p>
  );
}

/** How the picture is coded, in which container, and how large the file may be. */
export function PictureSentence() {
  const { placement, edit } = usePlacementDraft();
  const { video, container, maxBytes } = placement;
  return (
    <>
      <p>
        <Choice
          label="Codec"
          value={video.codec}
          shown={<b>{codecLabel(video.codec)}</b>}
          options={codecs.map((codec) => ({ value: codec, name: codecLabel(codec) }))}
          onChange={(codec) => edit({ video: { ...video, codec } })}
        />
        , <RateWords />, as{' '}
        <Choice
          label="Container"
          value={container}
          shown={<b>{container.toUpperCase()}</b>}
          options={containers.map((c) => ({ value: c, name: c.toUpperCase() }))}
          onChange={(next) => edit({ container: next })}
        />
        . The file is at most{' '}
        <OptionalNumber
          label="Largest file, MB"
          value={maxBytes === undefined ? undefined : maxBytes / 1e6}
          shown={maxBytes === undefined ? 'of any size' : <b>{bytesLabel(maxBytes)}</b>}
          min={0.01}
          max={100_000}
          unit="MB"
          onChange={(megabytes) =>
            edit({ maxBytes: megabytes === undefined ? undefined : Math.round(megabytes * 1e6) })
          }
        />
        .
      </p>
      <StreamSentence />
    </>
  );
}
