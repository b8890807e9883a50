import Checkbox from '@mui/material/Checkbox';
import {
  durationLabel,
  frameToSeconds,
  frameToTimecode,
  framesWithin,
  justFits,
  leastAdvice,
  paceValue,
  shotIndexAt,
  spanLength,
  usualCeiling,
  type Advice,
  type AdviceReason,
  type Pace,
  type Shot,
} from '@mivvy/core';
import type { FilmActivity, Master } from '@mivvy/api';
import { Choice } from '../../parts/choice.tsx';
import { EditableNumber } from '../../parts/editable.tsx';
import { versionName } from '../../parts/versions.ts';
import type { TimedVersion } from './place-times.tsx';
import { joined } from '../../parts/joined.ts';

/** What is spared whatever it would save. */
export interface Spared {
  /** Seconds of the film's start; 0 spares nothing of it. */
  hook: number;
  endCard: boolean;
}

const reasonWords: Record<AdviceReason, string> = {
  silence: 'Nothing is heard',
  still: 'Hardly anything moves',
  repeated: 'Seen before',
  tail: 'A long tail',
};
const keyOf = (a: Advice) => `${a.span.from} ${a.span.to}`;

/** Master frames that must go for a version to fit at a pace; 0 where it fits. */
function mustGo({ version, planned }: TimedVersion, kept: number, master: Master, pace: number): number {
  const limit = version.placement?.duration?.maxSeconds;
  if (!planned || limit === undefined) return 0;
  const { rate } = planned.planned.plan;
  const fit = justFits(kept, master.facts!.video.rate, rate, framesWithin(limit, rate), pace);
  return fit.kind === 'too-long' ? fit.frames : 0;
}

/** What could go from the cut, measured from the film; nothing goes before it has been marked and seen. */
export function AdvicePanel({
  advice,
  marked,
  onMark,
  onTake,
  onSee,
  along,
  problem,
  onRetry,
  master,
  shots,
  target,
  targets,
  onTarget,
  kept,
  pace,
  spared,
  onSpared,
}: {
  advice: readonly Advice[];
  marked: readonly string[];
  onMark: (keys: string[]) => void;
  onTake: (taken: Advice[], pace?: Pace) => void;
  onSee: (frame: number) => void;
  along: FilmActivity | undefined;
  problem: string | null;
  onRetry: () => void;
  master: Master;
  shots: readonly Shot[];
  target: TimedVersion | undefined;
  targets: readonly TimedVersion[];
  onTarget: (versionId: string) => void;
  kept: number;
  pace: Pace;
  spared: Spared;
  onSpared: (spared: Spared) => void;
}) {
  const { rate } = master.facts!.video;
  const seconds = (frames: number) => durationLabel(frameToSeconds(frames, rate));
  const chosen = advice.filter((a) => marked.includes(keyOf(a)));
  const saves = chosen.reduce((sum, a) => sum + a.saves, 0);
  const need = target ? mustGo(target, kept, master, paceValue(pace)) : 0;
  const needPaced = target ? mustGo(target, kept, master, usualCeiling) : 0;
  const all = advice.reduce((sum, a) => sum + a.saves, 0);
  const least = need > 0 ? leastAdvice(advice, need) : null;
  const leastPaced = needPaced > 0 ? leastAdvice(advice, needPaced) : null;
  const mark = (set: readonly Advice[]) => {
    onMark(set.map(keyOf));
    if (set[0]) onSee(set[0].span.from);
  };
  const after = need - saves;
  return (
    <aside className="side advice" aria-label="Advice">
      <h2>
        What could go <span className="quiet">{advice.length || ''}</span>
      </h2>
      {problem ? (
        <p className="warn fault">
          {problem}{' '}
          <button className="fix" onClick={onRetry}>
            Try again
          </button>
        </p>
      ) : !along ? (
        <p className="quiet">Listening to the film …</p>
      ) : (
        <>
          {target && (
            <p>
              To fit{' '}
              <Choice
                label="Place to fit"
                value={target.version.id}
                shown={versionName(target.version)}
                options={targets.map((t) => ({ value: t.version.id, name: versionName(t.version) }))}
                onChange={onTarget}
              />{' '}
              {need === 0 ? (
                'nothing has to go.'
              ) : (
                <>
                  <b>{seconds(need)}</b> ({need} frames) must go
                  {needPaced < need && (
                    <>
                      , or <b>{needPaced === 0 ? 'nothing' : seconds(needPaced)}</b> with a pace of{' '}
                      {usualCeiling.toFixed(2)}
                    </>
                  )}
                  .
                </>
              )}
              {need > all && ` All of this together saves ${seconds(all)}: drop a shot as well.`}
            </p>
          )}
          <p>
            {least && (
              <button className="fix" onClick={() => mark(least)}>
                Mark the smallest set that fits
              </button>
            )}
            {least && leastPaced && ', or '}
            {leastPaced && (
              <button className="fix" onClick={() => mark(leastPaced)}>
                the smallest with a pace
              </button>
            )}
            {(least ?? leastPaced) && '.'}
          </p>
          <p className="quiet">
            Never inside speech. Sparing{' '}
            <EditableNumber
              label="Hook"
              value={spared.hook}
              shown={spared.hook > 0 ? `the first ${spared.hook} s` : 'no hook'}
              min={0}
              max={60}
              unit="seconds from the film’s start"
              onChange={(hook) => onSpared({ ...spared, hook })}
            />{' '}
            and{' '}
            <button
              className="fix"
              aria-pressed={spared.endCard}
              onClick={() => onSpared({ ...spared, endCard: !spared.endCard })}
            >
              {spared.endCard ? 'the last shot' : 'no end card'}
            </button>
            {joined}.
          </p>
          {advice.length === 0 && (
            <p className="quiet">
              Nothing in this cut stands out: no long silences, no still or repeated shots, no long tails.
            </p>
          )}
          <ul>
            {advice.map((a) => (
              <li key={keyOf(a)} className={chosen.includes(a) ? 'on' : ''}>
                <Checkbox
                  size="small"
                  checked={chosen.includes(a)}
                  onChange={() => {
                    onMark(chosen.includes(a) ? marked.filter((k) => k !== keyOf(a)) : [...marked, keyOf(a)]);
                    onSee(a.span.from);
                  }}
                  slotProps={{
                    input: {
                      'aria-label': `${reasonWords[a.reason]} in shot ${shotIndexAt(shots, a.span.from) + 1}, saves ${seconds(a.saves)}`,
                    },
                  }}
                />
                <button onClick={() => onSee(a.span.from)}>
                  <b>{reasonWords[a.reason]}</b>
                  <span className="quiet">
                    shot {shotIndexAt(shots, a.span.from) + 1}
                    {spanLength(a.span) === spanLength(shotOf(shots, a, master)) && ', all of it'} ·{' '}
                    <span className="mono">{frameToTimecode(a.span.from, rate)}</span>
                  </span>
                </button>
                <span className="mono">{seconds(a.saves)}</span>
              </li>
            ))}
          </ul>
          {chosen.length > 0 && (
            <div className="take">
              <p>
                <b>{chosen.length === 1 ? 'One is marked' : `${chosen.length} are marked`}</b> on the film,
                together {seconds(saves)}:{' '}
                {after > 0
                  ? `${after} ${after === 1 ? 'frame' : 'frames'} would still be over`
                  : target && need > 0
                    ? `${-after} ${after === -1 ? 'frame' : 'frames'} to spare`
                    : 'the cut gets shorter by that'}
                . Playing goes over them.
              </p>
              <div className="ways">
                <button className="fix tall" onClick={() => onTake(chosen)}>
                  Drop {chosen.length === 1 ? 'it' : 'them'}
                </button>
                {after > 0 && saves >= needPaced && target && (
                  <button
                    className="fix tall"
                    onClick={() => onTake(chosen, paceFor(target, kept - saves, master))}
                  >
                    Drop {chosen.length === 1 ? 'it' : 'them'} and set the pace that just fits
                  </button>
                )}
                <button className="fix tall" onClick={() => onMark([])}>
                  Let {chosen.length === 1 ? 'it' : 'them'} be
                </button>
              </div>
            </div>
          )}
        </>
      )}
    </aside>
  );
}

function shotOf(shots: readonly Shot[], { span }: Advice, master: Master) {
  const i = shotIndexAt(shots, span.from);
  return { from: shots[i]!.from, to: shots[i + 1]?.from ?? master.facts!.video.frames };
}

/** The pace at which so many frames just fit a version. */
function paceFor({ version, planned }: TimedVersion, kept: number, master: Master): Pace {
  const { rate } = planned!.planned.plan;
  const fit = justFits(
    kept,
    master.facts!.video.rate,
    rate,
    framesWithin(version.placement!.duration!.maxSeconds!, rate),
  );
  return fit.kind === 'pace' ? fit.pace : { num: 1, den: 1 };
}

/** The advice for a cut, told apart by where it lies. */
export const markedOf = (advice: readonly Advice[], marked: readonly string[]): Advice[] =>
  advice.filter((a) => marked.includes(keyOf(a)));
