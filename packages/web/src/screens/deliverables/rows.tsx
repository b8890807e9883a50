import { bytesLabel, durationLabel, masterSeconds, waitsFor } from '@mivvy/core';
import type { Version } from '@mivvy/api';
import { dayWords, isLate } from '../../parts/days.ts';
import { frameOf, Proof } from '../../parts/proof.tsx';
import { VersionStamp, versionWord } from '../../parts/stamp.tsx';
import { useThisProduction } from '../../parts/this-production.ts';
import { cutOf, versionName } from '../../parts/versions.ts';
import { shortSum } from './short-sum.ts';

/** A version's proof, small. */
export function Thumb({ version }: { version: Version }) {
  const production = useThisProduction();
  const master = production.masters.find((m) => m.id === version.masterId);
  const frame = frameOf(version, master);
  const k = Math.min(64 / frame.width, 48 / frame.height);
  return (
    <div className="thumb">
      <div style={{ width: frame.width * k, height: frame.height * k }}>
        <Proof version={version} master={master} overlays={{ blocked: false, margin: false }} />
      </div>
    </div>
  );
}

/** What a deliverable waits for: a client's open notes before anything else. */
export const waiting = (version: Version): string =>
  version.openNotes > 0
    ? `${version.openNotes === 1 ? 'a note' : `${version.openNotes} notes`} to be seen to`
    : waitsFor[version.stage];

/** The ledger of a production as rows. */
export function Rows({
  chosen,
  onChoose,
  ticked,
  onTick,
}: {
  chosen: string | undefined;
  onChoose: (version: Version) => void;
  ticked: ReadonlySet<string>;
  onTick: (ids: readonly string[], on: boolean) => void;
}) {
  const production = useThisProduction();
  const ids = production.versions.map((v) => v.id);
  const all = ids.every((id) => ticked.has(id));
  return (
    <table>
      <thead>
        <tr>
          <th className="tick">
            <input type="checkbox" checked={all} aria-label="Tick all" onChange={() => onTick(ids, !all)} />
          </th>
          <th>
            <span className="sr">Picture</span>
          </th>
          <th>Deliverable</th>
          <th>Standing</th>
          <th>Waits for</th>
          <th>Due</th>
          <th>File</th>
        </tr>
      </thead>
      <tbody>
        {production.versions.map((v) => {
          const master = production.masters.find((m) => m.id === v.masterId);
          const due = v.dueOn ?? production.dueOn;
          const cut = cutOf(v, master);
          return (
            <tr
              key={v.id}
              className={v.id === chosen ? 'on' : ''}
              onClick={() => onChoose(v)}
              data-placement={v.placementId}
            >
              <td className="tick">
                <input
                  type="checkbox"
                  checked={ticked.has(v.id)}
                  aria-label={`Tick ${versionName(v)}`}
                  onClick={(event) => event.stopPropagation()}
                  onChange={(event) => onTick([v.id], event.target.checked)}
                />
              </td>
              <td>
                <Thumb version={v} />
              </td>
              <td>
                <button
                  className="fix named"
                  onClick={() => onChoose(v)}
                  aria-pressed={v.id === chosen}
                  aria-label={`${versionName(v)}: ${versionWord(v)}`}
                >
                  {versionName(v)}
                </button>
                <br />
                <span className="quiet">
                  {master?.name}
                  {cut
                    ? `, “${cut.name}”`
                    : master?.facts && `, ${durationLabel(masterSeconds(master.facts))}`}
                </span>
              </td>
              <td>
                <VersionStamp version={v} />
              </td>
              <td className={v.stage === 'live' ? 'quiet' : ''}>
                {waiting(v)}
                {v.holder && <span className="quiet"> · {v.holder}</span>}
              </td>
              <td className={due && isLate(due) && v.stage !== 'live' ? 'late' : ''}>
                {due ? dayWords(due) : <span className="quiet">–</span>}
              </td>
              <td className="mono" title={v.deliverable?.sha256}>
                {v.deliverable ? (
                  `${bytesLabel(v.deliverable.bytes)} · ${shortSum(v.deliverable.sha256)}`
                ) : (
                  <span className="quiet">not made yet</span>
                )}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
