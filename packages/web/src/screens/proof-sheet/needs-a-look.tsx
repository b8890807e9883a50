import { Link } from 'react-router';
import { countWords, differenceWords, placementDifferences, problemLine } from '@mivvy/core';
import type { Master, ProductionDetail, Version } from '@mivvy/api';
import { useWorthLooks } from '../../parts/following.ts';
import { usePlanner, useSeen } from '../../parts/seen.tsx';
import { Stamp } from '../../parts/stamp.tsx';
import { allCauses } from '../../parts/troubles.ts';
import { TroubleThumb } from '../../parts/trouble-thumb.tsx';
import { versionName } from '../../parts/versions.ts';
import { CauseRow } from './cause-row.tsx';
import { FrameUntouched } from './frame-untouched.tsx';
import { SeenOffers } from './seen-offers.tsx';
import { WhatWasChecked } from './what-was-checked.tsx';

/** Something about one version's place or file that needs a person. */
interface FileItem {
  shape: 'fail' | 'look';
  word: string;
  text: string;
  to: string;
  act: string;
}

/** What is wrong with a version's place or file; null where nothing is. */
function fileItem(version: Version): FileItem | null {
  if (!version.placement)
    return {
      shape: 'fail',
      word: 'Place unknown',
      text: 'The spec book no longer holds this placement.',
      to: '/spec-book',
      act: 'Open the spec book',
    };
  const to = `deliverables/${version.id}`;
  switch (version.standing) {
    case 'failed':
      return {
        shape: 'fail',
        word: 'Not made',
        text: 'The last export stopped.',
        to: 'exports',
        act: 'See why',
      };
    case 'failed-check': {
      const findings = version.deliverable?.findings ?? [];
      const text = findings.map((c) => `${c.name}: ${c.measured}, wanted ${c.expected}`).join('; ');
      return { shape: 'fail', word: 'Failed its check', text, to, act: 'See the report' };
    }
    case 'changed-on-disk':
      return {
        shape: 'fail',
        word: 'Changed on disk',
        text: 'The file is not the one that was made.',
        to,
        act: 'See the file',
      };
    case 'behind':
      return {
        shape: 'look',
        word: 'Behind',
        text: `The file is older than this: ${version.behind.join(', ')}.`,
        to,
        act: 'See the file',
      };
    default:
      return changedPlace(version);
  }
}

/** What a version's place asks for since it was made for it; null where it asks for the same. */
function changedPlace({ placement, newerPlace, placementId }: Version): FileItem | null {
  if (!placement || !newerPlace) return null;
  const changed = placementDifferences(placement, newerPlace.placement).map(differenceWords);
  return {
    shape: 'look',
    word: 'Place changed',
    text: `It asks for something else since: ${changed.join('; ')}.`,
    to: `/spec-book/${placementId}`,
    act: 'See what it asks for',
  };
}

function FileRow({
  version,
  master,
  item,
}: {
  version: Version;
  master: Master | undefined;
  item: FileItem;
}) {
  const middle = Math.floor((master?.facts?.video.frames ?? 1) / 5);
  return (
    <li className="look-item">
      {master?.facts ? (
        <TroubleThumb version={version} master={master} frame={middle} width={46} />
      ) : (
        <span />
      )}
      <div>
        <Stamp shape={item.shape}>{item.word}</Stamp>
        <p>
          <b>{versionName(version)}</b>
        </p>
        <p className="quiet">{item.text}</p>
        <Link className="fix tall" to={item.to}>
          {item.act}
        </Link>
      </div>
    </li>
  );
}

/** Shots framed by what is seen whose score says that a person should look, and the way through them. */
function RoundRow({ worth }: { worth: ReturnType<typeof useWorthLooks> }) {
  const [worst] = worth;
  if (!worst) return null;
  return (
    <li className="look-item plain">
      <div>
        <Stamp shape="look">Worth a look</Stamp>
        <p>
          {countWords(worth.length, 'shot')} framed by what is seen. The worst: {versionName(worst.version)},
          shot {worst.unit.shot + 1}, {worst.judgement.words[0] ?? `${worst.judgement.figure} of 100`}.
        </p>
        <Link className="fix tall" to={`framing/${worst.version.id}?round=${worst.unit.from}`}>
          Go through them
        </Link>
      </div>
    </li>
  );
}

/** What needs a person, one row a cause: faults first, then files that are behind, then what to look at. */
export function NeedsALook({ production }: { production: ProductionDetail }) {
  const plan = usePlanner();
  const seen = useSeen();
  const worth = useWorthLooks(production);
  const causes = allCauses(production, plan);
  const masterOf = (id: string) => production.masters.find((m) => m.id === id);
  const files = production.versions.flatMap((version) => {
    const item = fileItem(version);
    return item ? [{ version, item }] : [];
  });
  const unplanned = production.versions.filter((v) => !plan(v, masterOf(v.masterId))).length;
  const unusable = production.masters.filter((m) => m.state === 'failed');
  const offers = production.masters.flatMap((master) => {
    const found = seen.get(master.id)?.offers ?? [];
    return found.length ? [{ master, found }] : [];
  });
  const count = causes.length + files.length + unusable.length + (worth.length ? 1 : 0) + offers.length;
  const named = new Set(causes.map((c) => c.masterId)).size > 1;
  const row = (cause: (typeof causes)[number]) => {
    const master = masterOf(cause.masterId);
    return master?.facts ? (
      <CauseRow key={`${master.id} ${cause.key}`} cause={cause} master={master} named={named} />
    ) : null;
  };
  const fileRow = ({ version, item }: (typeof files)[number]) => (
    <FileRow key={version.id} version={version} master={masterOf(version.masterId)} item={item} />
  );
  return (
    <aside className="side needs" aria-label="Needs a look">
      <h2>
        Needs a look <span className="quiet">{count}</span>
      </h2>
      {count === 0 && (
        <p className="quiet nothing">
          {production.versions.length ? 'Nothing that was checked asks for one.' : 'Nothing yet.'}
        </p>
      )}
      <FrameUntouched />
      <ul>
        {unusable.map((master) => (
          <li key={master.id} className="look-item plain">
            <div>
              <Stamp shape="fail">Cannot be used</Stamp>
              <p>
                <b>{master.fileName}</b>
              </p>
              <p className="quiet">{master.problem && problemLine(master.problem)}</p>
            </div>
          </li>
        ))}
        {causes.filter((c) => c.severity === 'fault').map(row)}
        {files.filter((f) => f.item.shape === 'fail').map(fileRow)}
        {files.filter((f) => f.item.shape === 'look').map(fileRow)}
        <RoundRow worth={worth} />
        {causes.filter((c) => c.severity === 'look').map(row)}
      </ul>
      {offers.map(({ master, found }) => (
        <SeenOffers key={master.id} master={master} offers={found} />
      ))}
      <WhatWasChecked production={production} troubles={causes.length} unplanned={unplanned} />
    </aside>
  );
}
