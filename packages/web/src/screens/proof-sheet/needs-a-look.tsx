import { Link } from 'react-router';
import {
  durationLabel,
  frameToSeconds,
  frameToTimecode,
  oneShot,
  problemLine,
  shotIndexAt,
} from '@mivvy/core';
import type { Master, ProductionDetail, Version } from '@mivvy/api';
import { useWorthLooks } from '../../parts/following.ts';
import { Stamp } from '../../parts/stamp.tsx';
import { allTroubles, troubleWord, useGoToTrouble } from '../../parts/troubles.ts';
import { TroubleThumb } from '../../parts/trouble-thumb.tsx';
import { versionName } from '../../parts/versions.ts';
import type { SheetVersion } from './master-row.tsx';

/** One line of what needs a person. */
interface LookItem {
  rank: number;
  key: string;
  shape: 'fail' | 'look';
  word: string;
  text: string;
  version: Version;
  master: Master;
  /** The frame to be shown. */
  frame: number;
  act: { to: string; name: string } | (() => void);
}

/** How many are listed; a key goes through all of them. */
const mostListed = 40;

/** What needs a person: faults first, then files that are behind, then what to look at. */
export function NeedsALook({
  production,
  rows,
}: {
  production: ProductionDetail;
  rows: { master: Master; versions: SheetVersion[] }[];
}) {
  const go = useGoToTrouble();
  const worth = useWorthLooks(production);
  const seen = new Map(
    rows.flatMap(({ master, versions }) => versions.map((v) => [v.version.id, { ...v, master }] as const)),
  );
  const items: LookItem[] = [...seen.values()].flatMap(({ version, master }) => {
    const at = (
      rank: number,
      shape: LookItem['shape'],
      word: string,
      text: string,
      to: string,
      name: string,
    ): LookItem => ({
      rank,
      key: `${version.id} ${word}`,
      shape,
      word,
      text,
      version,
      master,
      frame: Math.floor((master.facts?.video.frames ?? 1) / 5),
      act: { to, name },
    });
    if (!version.placement)
      return [
        at(
          0,
          'fail',
          'Place unknown',
          'The spec book no longer holds this placement.',
          '/spec-book',
          'Open the spec book',
        ),
      ];
    if (version.standing === 'failed')
      return [at(1, 'fail', 'Not made', 'The last export stopped.', 'exports', 'See why')];
    if (version.standing === 'failed-check')
      return [
        at(
          1,
          'fail',
          'Failed its check',
          version.deliverable?.findings
            .map((c) => `${c.name}: ${c.measured}, wanted ${c.expected}`)
            .join('; ') ?? '',
          `deliverables/${version.id}`,
          'See the report',
        ),
      ];
    if (version.standing === 'behind')
      return [
        at(
          2,
          'look',
          'Behind',
          `The file is older than this: ${version.behind.join(', ')}.`,
          `deliverables/${version.id}`,
          'See the file',
        ),
      ];
    return [];
  });
  for (const place of allTroubles(production)) {
    const master = seen.get(place.version.id)?.master;
    if (!master?.facts) continue;
    const { trouble: t } = place;
    const { rate } = master.facts.video;
    const keep = master.keeps.find((k) => k.id === t.keepId);
    const shots = master.shots ?? oneShot;
    const text = keep
      ? `Shot ${shotIndexAt(shots, t.span.from) + 1}, from ${frameToTimecode(t.span.from, rate)} for ${durationLabel(frameToSeconds(t.span.to - t.span.from, rate))}`
      : t.sentence;
    items.push({
      rank: t.severity === 'fault' ? 0 : 3,
      key: `${place.version.id} ${t.code} ${t.span.from} ${t.keepId ?? ''} ${t.area ?? ''}`,
      shape: t.severity === 'fault' ? 'fail' : 'look',
      word: troubleWord(t, keep?.name),
      text,
      version: place.version,
      master,
      frame: t.span.from,
      act: () => go(place),
    });
  }
  items.sort((a, b) => a.rank - b.rank);
  const faulty = rows.filter((r) => r.master.state === 'failed');
  const count = items.length + faulty.length;
  return (
    <aside className="side" aria-label="Needs a look">
      <h2>
        Needs a look <span className="quiet">{count}</span>
      </h2>
      {worth.length > 0 && (
        <div className="look-item" style={{ gridTemplateColumns: '1fr' }}>
          <div>
            <Stamp shape="look">Worth a look</Stamp>
            <p>
              {worth.length === 1 ? 'One shot' : `${worth.length} shots`} that{' '}
              {worth.length === 1 ? 'was' : 'were'} framed by what is seen. The worst:{' '}
              {versionName(worth[0]!.version)}, shot {worth[0]!.unit.shot + 1},{' '}
              {worth[0]!.judgement.words[0] ?? `${worth[0]!.judgement.figure} of 100`}.
            </p>
            <Link className="fix tall" to={`framing/${worth[0]!.version.id}?round=${worth[0]!.unit.from}`}>
              Go through them
            </Link>
          </div>
        </div>
      )}
      {count === 0 && worth.length === 0 && (
        <p className="quiet" style={{ marginTop: 8 }}>
          {production.versions.length
            ? 'Nothing. Every version keeps to its place’s numbers and shows what it must.'
            : 'Nothing yet.'}
        </p>
      )}
      {faulty.map(({ master }) => (
        <div key={master.id} className="look-item" style={{ gridTemplateColumns: '1fr' }}>
          <div>
            <Stamp shape="fail">Cannot be used</Stamp>
            <p>
              <b style={{ fontWeight: 600 }}>{master.fileName}</b>
            </p>
            <p className="quiet">{master.problem && problemLine(master.problem)}</p>
          </div>
        </div>
      ))}
      {items.slice(0, mostListed).map((item) => (
        <div key={item.key} className="look-item">
          {item.master.facts ? (
            <TroubleThumb version={item.version} master={item.master} frame={item.frame} width={46} />
          ) : (
            <span />
          )}
          <div style={{ minWidth: 0 }}>
            <Stamp shape={item.shape}>{item.word}</Stamp>
            <p>
              <b style={{ fontWeight: 600 }}>{versionName(item.version)}</b>
              {rows.length > 1 && <span className="quiet">, {item.master.name}</span>}
            </p>
            <p className="quiet">{item.text}</p>
            {typeof item.act === 'function' ? (
              <button className="fix tall" onClick={item.act}>
                Look at it
              </button>
            ) : (
              <Link className="fix tall" to={item.act.to}>
                {item.act.name}
              </Link>
            )}
          </div>
        </div>
      ))}
      {items.length > mostListed && (
        <p className="quiet" style={{ marginTop: 10 }}>
          And {items.length - mostListed} more; press n to go through them all.
        </p>
      )}
    </aside>
  );
}
