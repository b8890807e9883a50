import { countWords, masterSummary, problemLine } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { Stamp } from '../../parts/stamp.tsx';
import type { SheetVersion } from './leading-master.tsx';

/** How many versions stand at something that a line about their master should tell. */
function Counts({ versions }: { versions: readonly SheetVersion[] }) {
  const count = (...of: Version['standing'][]) =>
    versions.filter((v) => of.includes(v.version.standing)).length;
  const bad = count('at-fault', 'blocked', 'failed', 'failed-check', 'changed-on-disk');
  const behind = count('behind');
  const open = count('to-make');
  const passed = count('passed');
  return (
    <>
      {bad > 0 && <Stamp shape="fail">{bad} at fault</Stamp>}
      {behind > 0 && <Stamp shape="look">{behind} behind</Stamp>}
      {open > 0 && <Stamp shape="act">{open} to export</Stamp>}
      {passed > 0 && <Stamp shape="pass">{passed} passed</Stamp>}
    </>
  );
}

/** A master that does not lead, in one line: what it is, what stands where, and the way to have it lead. */
export function FoldedMaster({
  master,
  versions,
  onLead,
}: {
  master: Master;
  versions: readonly SheetVersion[];
  onLead: () => void;
}) {
  const usable = master.state === 'ready' && master.facts !== null;
  const about =
    master.state === 'failed'
      ? master.problem && problemLine(master.problem)
      : master.facts
        ? masterSummary(master.facts)
        : 'Being read';
  return (
    <section className="folded" aria-label={master.name}>
      <button className="fix tall" disabled={!usable} onClick={onLead} aria-label={`Show ${master.name}`}>
        {master.name}
      </button>
      {master.state === 'failed' && <Stamp shape="fail">Cannot be used</Stamp>}
      <span className="quiet clip" title={about ?? ''}>
        {about}
      </span>
      <span className="counts">
        <Counts versions={versions} />
        {usable && versions.length === 0 && <Stamp shape="act">No places chosen</Stamp>}
        {versions.length > 0 && <span className="quiet">{countWords(versions.length, 'version')}</span>}
      </span>
    </section>
  );
}
