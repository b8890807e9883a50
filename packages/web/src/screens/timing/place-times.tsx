import {
  justFits,
  durationLabel,
  frameToSeconds,
  paceForRate,
  paceValue,
  rateLabel,
  rateRule,
  timeLeftFigures,
  timeLeftWords,
  usualCeiling,
  keptLength,
  framesWithin,
  type Pace,
} from '@mivvy/core';
import type { Cut, Master, Version } from '@mivvy/api';
import { Stamp } from '../../parts/stamp.tsx';
import { cutName, cutOf, versionName, type Planned } from '../../parts/versions.ts';

/** A version with its plan as the cut in the hand makes it. */
export interface TimedVersion {
  version: Version;
  planned: Planned | null;
}

/** Over a limit or short of one. */
export const breaksTime = ({ planned }: TimedVersion): boolean =>
  !!planned && ((planned.time.left ?? 0) < 0 || planned.time.short > 0);

/** The version that is furthest over its limit, else the one with the least to spare. */
export function tightest(versions: readonly TimedVersion[]): TimedVersion | undefined {
  const seconds = ({ planned }: TimedVersion) =>
    planned?.time.left == null ? Infinity : frameToSeconds(planned.time.left, planned.time.rate);
  return versions.filter((v) => seconds(v) < Infinity).sort((a, b) => seconds(a) - seconds(b))[0];
}

/** What a pace could do for a version that is over its limit. */
function PaceHelp({
  timed,
  master,
  cut,
  onPace,
}: {
  timed: TimedVersion;
  master: Master;
  cut: Pick<Cut, 'kept' | 'pace'>;
  onPace: (pace: Pace) => void;
}) {
  const { version, planned } = timed;
  const { rate } = master.facts!.video;
  const limit = version.placement?.duration?.maxSeconds;
  if (!planned || limit === undefined || (planned.time.left ?? 0) >= 0) return null;
  const fit = justFits(
    keptLength(cut.kept),
    rate,
    planned.planned.plan.rate,
    framesWithin(limit, planned.planned.plan.rate),
  );
  if (fit.kind === 'pace')
    return (
      <p>
        A pace of <b>{Number(paceValue(fit.pace).toFixed(4))}</b> just fits.{' '}
        <button className="fix" onClick={() => onPace(fit.pace)}>
          Set it
        </button>
      </p>
    );
  if (fit.kind === 'too-long')
    return (
      <p className="quiet">
        Even at a pace of {usualCeiling.toFixed(2)}, {durationLabel(frameToSeconds(fit.frames, rate))} (
        {fit.frames} frames) must still go.
      </p>
    );
  return null;
}

/** Each place that plays the cut with its time left or over, then those that play something else. */
export function PlaceTimes({
  timed,
  others,
  master,
  cut,
  shownId,
  onShow,
  onPace,
  onPlay,
}: {
  timed: readonly TimedVersion[];
  others: readonly Version[];
  master: Master;
  cut: Pick<Cut, 'kept' | 'pace'> | null;
  shownId: string | undefined;
  onShow: (versionId: string) => void;
  onPace: (pace: Pace) => void;
  onPlay: (versionId: string) => void;
}) {
  const { rate } = master.facts!.video;
  return (
    <ul className="placetimes" aria-label="Places">
      {timed.map((t) => {
        const { version, planned } = t;
        const bridge =
          cut && planned?.planned.plan.step.kind === 'nearest' && version.placement
            ? paceForRate(rate, rateRule(version.placement))
            : null;
        return (
          <li
            key={version.id}
            className={version.id === shownId ? 'on' : ''}
            data-placement={version.placementId}
          >
            <button
              className="place"
              onClick={() => onShow(version.id)}
              aria-pressed={version.id === shownId}
            >
              <span className="which">{version.tag}</span>
              <span>
                <b>{versionName(version)}</b>
                {planned && (
                  <span className="timeline">
                    <Stamp shape={breaksTime(t) ? 'fail' : planned.time.left === null ? 'idle' : 'pass'}>
                      {timeLeftWords(planned.time)}
                    </Stamp>
                    {planned.time.left !== null && (
                      <span className="mono quiet">{timeLeftFigures(planned.time)}</span>
                    )}
                  </span>
                )}
              </span>
            </button>
            {cut && <PaceHelp timed={t} master={master} cut={cut} onPace={onPace} />}
            {bridge && planned && bridge.pace.num * cut!.pace.den !== bridge.pace.den * cut!.pace.num && (
              <p>
                {planned.planned.delivered.words[0]!.toUpperCase() + planned.planned.delivered.words.slice(1)}
                . At a pace of {bridge.pace.num}/{bridge.pace.den} every frame is used at{' '}
                {rateLabel(bridge.rate)} fps, the pitch kept.{' '}
                <button className="fix" onClick={() => onPace(bridge.pace)}>
                  Set it
                </button>
              </p>
            )}
          </li>
        );
      })}
      {others.map((version) => (
        <li key={version.id} className="else">
          <span className="which">{version.tag}</span>
          <span className="clip" title={`${versionName(version)} plays ${cutName(cutOf(version, master))}`}>
            {versionName(version)}, {cutOf(version, master)?.name ?? 'full film'}
          </span>
          <button
            className="fix"
            aria-label={`${versionName(version)}: play this`}
            onClick={() => onPlay(version.id)}
          >
            Play this
          </button>
        </li>
      ))}
    </ul>
  );
}
