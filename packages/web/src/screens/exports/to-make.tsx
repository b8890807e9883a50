import type { Version, VersionForecast } from '@mivvy/api';
import { StandingStamp } from '../../parts/stamp.tsx';
import { versionName } from '../../parts/versions.ts';
import { forecastWords } from './forecast-words.ts';

/** What would be made if the run were started now, with what each file is expected to become; some can be left out. */
export function ToMake({
  versions,
  forecasts,
  leftOut,
  onLeaveOut,
}: {
  versions: readonly Version[];
  forecasts: readonly VersionForecast[];
  /** Ids of those that are not to be made now. */
  leftOut: ReadonlySet<string>;
  onLeaveOut: (ids: ReadonlySet<string>) => void;
}) {
  if (versions.length === 0) return null;
  const toggle = (id: string) =>
    onLeaveOut(new Set(leftOut.has(id) ? [...leftOut].filter((other) => other !== id) : [...leftOut, id]));
  const notBehind = versions.filter((v) => v.standing !== 'behind').map((v) => v.id);
  const someBehind = notBehind.length < versions.length;
  return (
    <section aria-label="Not asked for yet">
      <h3>Not asked for yet</h3>
      <p className="quiet">
        <button className="fix" disabled={leftOut.size === 0} onClick={() => onLeaveOut(new Set())}>
          All of them
        </button>
        {someBehind && notBehind.length > 0 && (
          <>
            {' · '}
            <button className="fix" onClick={() => onLeaveOut(new Set(notBehind))}>
              Only those behind
            </button>
          </>
        )}
      </p>
      <ul className="tomake">
        {versions.map((version) => {
          const told = forecasts.find((f) => f.versionId === version.id);
          return (
            <li key={version.id}>
              <label>
                <input
                  type="checkbox"
                  checked={!leftOut.has(version.id)}
                  onChange={() => toggle(version.id)}
                />
                <span className="letter">{version.tag}</span>
                <b>{versionName(version)}</b>
              </label>
              <StandingStamp standing={version.standing} />
              <span className="quiet">{told ? forecastWords(told) : 'its master is still being read'}</span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
