import { Link } from 'react-router';
import {
  aspectLabel,
  bitrateLabel,
  bytesLabel,
  codecLabel,
  durationLabel,
  planSeconds,
  rateLabel,
  shapeWord,
  sizeLabel,
} from '@mivvy/core';
import { usePlayCut } from '../../../api/changes.ts';
import { Choice } from '../../../parts/choice.tsx';
import { cutName, cutOf, type Planned } from '../../../parts/versions.ts';
import { useFraming } from '../framing-session.tsx';

/** Stands for the full film where cuts are chosen from. */
const fullFilm = 'full';

/** What the file will be, in a sentence or two. */
export function FileSentences({ planned }: { planned: Planned }) {
  const { version, master, frameSize } = useFraming();
  const play = usePlayCut();
  const cut = cutOf(version, master);
  const { plan, delivered, budget } = planned.planned;
  const limit = version.placement!.duration?.maxSeconds;
  const { rate } = plan.video;
  const shape = shapeWord(frameSize);
  return (
    <p>
      Plays{' '}
      <Choice
        label="Cut"
        value={cut?.id ?? fullFilm}
        shown={cutName(cut)}
        options={[
          { value: fullFilm, name: 'the full film' },
          ...master.cuts.map((c) => ({ value: c.id, name: cutName(c) })),
        ]}
        onChange={(id) => play.mutate({ versionIds: [version.id], cutId: id === fullFilm ? null : id })}
      />
      ;{' '}
      <Link
        className="fix"
        to={`/productions/${version.productionId}/timing/${master.id}${cut ? `/${cut.id}` : ''}`}
      >
        change its timing
      </Link>
      . {shape[0]!.toUpperCase() + shape.slice(1)} {aspectLabel(frameSize)}, <b>{sizeLabel(frameSize)}</b>, at{' '}
      <b>{rateLabel(plan.rate)} fps</b> {delivered.words}. Runs <b>{durationLabel(planSeconds(plan))}</b>
      {limit === undefined ? ', no limit' : <> of {durationLabel(limit)} allowed</>}.{' '}
      {codecLabel(plan.video.codec)},{' '}
      {rate.mode === 'two-pass' ? (
        <>
          two passes at <b>{bitrateLabel(rate.targetKbps)}</b>, never above {bitrateLabel(rate.maxKbps)}
        </>
      ) : (
        <>
          quality {rate.crf}
          {rate.maxKbps !== undefined && <>, never above {bitrateLabel(rate.maxKbps)}</>}
        </>
      )}
      {budget.expectedBytes !== null && (
        <>
          : {rate.mode === 'two-pass' ? 'about' : 'at most'} <b>{bytesLabel(budget.expectedBytes)}</b>
        </>
      )}
      .{' '}
      {plan.audio ? (
        <>
          Sound in {codecLabel(plan.audio.codec)}
          {plan.audio.loudness
            ? ` at ${plan.audio.loudness.integratedLufs.toString().replace('-', '−')} LUFS`
            : ''}
          .
        </>
      ) : (
        'Silent.'
      )}
    </p>
  );
}
